// What the server could not keep stays on this device until it is sent again or thrown away.
const UNSENT = "openpail.unsent";

function formOf(kept) {
  const form = document.createElement("form");
  form.method = "post";
  form.action = kept.action;
  const token = document.querySelector("input[name=csrf_token]");
  [["csrf_token", token ? token.value : ""]].concat(kept.fields).forEach((pair) => {
    const field = document.createElement("input");
    field.type = "hidden";
    field.name = pair[0];
    field.value = pair[1];
    form.append(field);
  });
  document.body.append(form);
  return form;
}

function buttonOf(words, kind, act) {
  const made = document.createElement("button");
  made.type = "button";
  made.className = "btn " + kind;
  made.textContent = words;
  made.addEventListener("click", act);
  return made;
}

export function unsent() {
  const here = document.querySelector("form[data-unsent]");
  if (here) {
    const fields = Array.from(new FormData(here)).filter(([name]) => name !== "csrf_token");
    localStorage.setItem(UNSENT, JSON.stringify({ action: here.getAttribute("action"), fields: fields, at: Date.now() }));
  }
  const kept = JSON.parse(localStorage.getItem(UNSENT) || "null");
  if (!kept || !document.querySelector("input[name=csrf_token]")) return;
  const bar = document.createElement("div");
  const words = document.createElement("p");
  const at = new Date(kept.at).toTimeString().slice(0, 5);
  words.textContent = "What you sent at " + at + " was not kept: the database was away.";
  function done() { localStorage.removeItem(UNSENT); bar.remove(); }
  function thrown() { done(); if (here) window.location.assign("/"); }
  async function again(event) {
    event.preventDefault();
    const form = formOf(kept);
    const answer = await fetch(form.action, { method: "POST", body: new FormData(form) }).catch(() => ({ status: 503 }));
    if (answer.status === 503) {
      words.textContent = "Still away. It is kept here; try again in a while.";
      form.remove();
      return;
    }
    done();
    // what was refused is shown by its field: sent once more, as a form is
    if (answer.redirected) window.location.assign(answer.url); else form.submit();
  }
  bar.className = "unsent";
  bar.setAttribute("role", "status");
  if (here) { // the page itself says it all, until a second try fails too
    words.textContent = "";
    here.addEventListener("submit", again);
    here.after(bar);
  } else {
    bar.classList.add("say", "is-caution");
    bar.append(buttonOf("Send it again", "btn-primary", again));
    document.getElementById("main").prepend(bar);
  }
  bar.prepend(words);
  bar.append(buttonOf("Throw it away", "btn-link", thrown));
}

// The keys of every page.
const PLACES = { t: "/", m: "/milk", b: "/bench", s: "/sheet", v: "/vat", p: "/press", c: "/cave", a: "/table", o: "/stock", d: "/days", w: "/which" };

function takesTyping(target) {
  return target.closest("input, textarea, select, [contenteditable]") !== null;
}

function press(id) {
  const button = document.getElementById(id);
  if (button) button.click();
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("keys", function () {
    return {
      going: false,
      press(event) {
        if (event.ctrlKey || event.metaKey || event.altKey || takesTyping(event.target)) return;
        const key = event.key.toLowerCase();
        if (this.going && PLACES[key]) {
          window.location.assign(PLACES[key]);
        } else if (key === "?") {
          const list = document.getElementById("keys");
          if (list) list.showModal();
        } else if (key === "r") {
          press("reading-button");
        } else if (key === "d") {
          const done = document.getElementById("done-button");
          if (done) done.focus();
        } else if (key === "w") {
          window.dispatchEvent(new CustomEvent("next-why"));
        }
        this.going = key === "g";
      },
    };
  });
});

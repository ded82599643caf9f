// The whole dairy as one file, with a sign of how far it is: the names of the tables stand in the file
// itself, so what has come is told by what was read of it. Without this script the link is a download.
const TABLE = /PK\x03\x04[\s\S]{26}([a-z_]+)\.csv/g, LONGEST = 120;

document.addEventListener("click", async (event) => {
  const link = event.target.closest("[data-everything]");
  if (!link || !window.ReadableStream) return;
  event.preventDefault();
  const sign = document.querySelector(".everything-sign"), bar = sign.querySelector("progress"), words = sign.querySelector("span");
  sign.hidden = false;
  bar.hidden = false;
  bar.max = Number(link.dataset.everything);
  bar.value = 0;
  try {
    const answer = await fetch(link.href, { credentials: "same-origin" });
    if (!answer.ok || answer.redirected) throw new Error(answer.statusText);
    const parts = await read(answer, (table, bytes) => {
      bar.value += table ? 1 : 0;
      words.textContent = megabytes(bytes) + (table ? ", " + table.replaceAll("_", " ") : "");
    });
    save(parts, answer);
    words.textContent = "Written: " + megabytes(parts.reduce((sum, part) => sum + part.length, 0)) + ".";
  } catch {
    words.textContent = "It broke off: nothing was written. Try again.";
  }
  bar.hidden = true;
});

async function read(answer, tell) {
  const from = answer.body.getReader(), parts = [];
  let bytes = 0, tail = "";
  for (let got = await from.read(); !got.done; got = await from.read()) {
    parts.push(got.value);
    bytes += got.value.length;
    const text = tail + new TextDecoder("latin1").decode(got.value);
    const seen = [...text.matchAll(TABLE)].filter((match) => match.index + match[0].length > tail.length);
    seen.forEach((match) => tell(match[1], bytes));
    if (!seen.length) tell("", bytes);
    tail = text.slice(-LONGEST);
  }
  return parts;
}

function save(parts, answer) {
  const named = /filename=([^;]+)/.exec(answer.headers.get("Content-Disposition") || "");
  const address = URL.createObjectURL(new Blob(parts, { type: "application/zip" }));
  Object.assign(document.createElement("a"), { href: address, download: named ? named[1].replaceAll('"', "") : "dairy.zip" }).click();
  setTimeout(() => URL.revokeObjectURL(address), 60000);
}

const megabytes = (bytes) => (bytes / 1e6).toFixed(1) + " MB";

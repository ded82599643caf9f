// Taps that wait on this device for the network: kept in its own database, so that a reload, a closed
// lid or an empty battery loses none. Where the browser gives no database they are kept while the page
// is open.
const NAME = "open-pail", TAPS = "taps", DEVICE = "open-pail-device", COUNTED = "open-pail-counter";
const memory = new Map();
let opening = null;

// Away from https no browser makes an id by itself.
export function newId() {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  bytes[6] = (bytes[6] & 0x0f) | 0x40;
  bytes[8] = (bytes[8] & 0x3f) | 0x80;
  const hex = [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  return [hex.slice(0, 8), hex.slice(8, 12), hex.slice(12, 16), hex.slice(16, 20), hex.slice(20)].join("-");
}

export function device() {
  if (!localStorage.getItem(DEVICE)) localStorage.setItem(DEVICE, newId());
  return localStorage.getItem(DEVICE);
}

// How many taps this device told so far: what settles which of two came first.
export function count() {
  const next = Number(localStorage.getItem(COUNTED) || 0) + 1;
  localStorage.setItem(COUNTED, String(next));
  return next;
}

function database() {
  opening = opening || new Promise((done, failed) => {
    const asked = indexedDB.open(NAME, 1);
    asked.addEventListener("upgradeneeded", () => asked.result.createObjectStore(TAPS, { keyPath: "event" }));
    asked.addEventListener("success", () => done(asked.result));
    asked.addEventListener("error", () => failed(asked.error));
  });
  return opening;
}

// Ended only when the device has it on its disk.
async function within(mode, work) {
  const open = await database();
  return new Promise((done, failed) => {
    const turn = open.transaction(TAPS, mode, { durability: "strict" });
    const asked = work(turn.objectStore(TAPS));
    turn.addEventListener("complete", () => done(asked.result));
    turn.addEventListener("error", () => failed(turn.error));
    turn.addEventListener("abort", () => failed(turn.error));
  });
}

const byCounter = (one, two) => one.counter - two.counter;

export const outbox = {
  lasting: true,
  async put(tap) {
    memory.set(tap.event, tap);
    try { await within("readwrite", (taps) => taps.put(tap)); } catch { this.lasting = false; }
  },
  async all() {
    let kept = [];
    try { kept = await within("readonly", (taps) => taps.getAll()); } catch { this.lasting = false; }
    const found = new Map([...memory, ...kept.map((tap) => [tap.event, tap])]);
    return [...found.values()].sort(byCounter);
  },
  async remove(event) {
    memory.delete(event);
    try { await within("readwrite", (taps) => taps.delete(event)); } catch { this.lasting = false; }
  },
};

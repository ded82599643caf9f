// A tap as it is kept on this device, and which of those that wait may go. Nothing here touches a page.
const NOT_KEPT = new Set(["csrf_token", "once", "sent"]);

// What is kept of a form that was tapped: its fields, and of them what the page goes on by. Parameters:
// fields, of [name, value]; words, on the button; make; person and name, of whoever is signed in.
export function tapOf({ address, fields, words, make, person, name }) {
  const kept = fields.filter(([each]) => !NOT_KEPT.has(each));
  const of = (wanted) => { const found = kept.find(([each]) => each === wanted); return found ? found[1] : ""; };
  return {
    address, make, person, name, fields: kept, refused: "",
    words: words || of("words") || (of("deed") === "timer" ? "Timer" : ""),
    event: of("event"), deed: of("deed"), step: of("step"), look: of("look"), minutes: of("minutes"),
    happened: of("happened"), counter: Number(of("counter")),
  };
}

export const hasWord = (tap) => tap.fields.some(([name, value]) => name === "word" && value);

// The same tap with the word that was asked for.
export function withWord(tap, word) {
  return { ...tap, refused: "", fields: [["word", word], ...tap.fields.filter(([name]) => name !== "word")] };
}

// As the server reads them together: of a name that stands twice the first counts.
export const asSent = (tap) => Object.fromEntries([...tap.fields].reverse());

// The taps that may go: not refused, and not behind one that is.
export function free(all) {
  const held = new Set(all.filter((tap) => tap.refused).map((tap) => tap.event));
  return all.filter((tap) => !tap.refused && !held.has(tap.behind));
}

// What becomes of each tap by the server's answers: gone, refused with its words, or behind the one that is
// asked for a word, as it is told again then.
export function answered(taps, answers) {
  const asked = answers.findIndex((each) => each.outcome === "refused" && each.field === "word");
  return answers.map((each, number) => {
    const isNot = each.outcome === "refused" || each.outcome === "unknown";
    if (!isNot) return null;
    if (asked >= 0 && number > asked) return { ...taps[number], behind: taps[asked].event };
    return { ...taps[number], refused: each.words, field: each.field };
  });
}

// When the set is cut, by when the flocks are seen: the nearest row of the server's own table
// [minutes of the flocks, minutes of the cut, what is odd of them], all after the rennet.
export function cutBy(rows, rennet, flocks) {
  const minutes = (flocks - rennet) / 60000;
  if (!(minutes > 0)) return null;
  const off = (row) => Math.abs(row[0] - minutes);
  return rows.reduce((near, row) => (off(row) < off(near) ? row : near), rows[0]);
}

// What the server answers with takes the place of what stood there.
export const parsed = (html) => new DOMParser().parseFromString(html, "text/html");

export function replaceWith(node, html) {
  node.replaceChildren(...parsed(html).body.childNodes);
}

// A field that somebody is typing into: its own change will bring the page anew.
export function beingTyped() {
  const field = document.activeElement;
  return field.matches("input, textarea") && field.value !== field.defaultValue;
}

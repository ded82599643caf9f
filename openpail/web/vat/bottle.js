// Another bottle than the sheet's: what does the same of it is told again, in its own unit.
document.addEventListener("change", async (event) => {
  const address = event.target.dataset.another;
  if (!address) return;
  const form = event.target.form, said = event.target.closest("label").nextElementSibling;
  const dose = form.elements.namedItem(event.target.name.replace("bottle-", "gave-"));
  const answer = await fetch(address + "?lot=" + encodeURIComponent(event.target.value));
  if (!answer.ok && answer.status !== 422) return;
  const told = await answer.json();
  if (told.amount) dose.value = told.amount;
  said.textContent = told.words;
  said.hidden = false;
});

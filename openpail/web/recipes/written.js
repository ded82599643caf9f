import { parsed } from "/static/js/fragments.js";

document.addEventListener("alpine:init", () => {
  // A text as people write it, read again as it is typed: its marks lie behind the field, the make
  // that it becomes stands beside. Where the caret stands in a number, a card says what it became.
  window.Alpine.data("written", function () {
    return {
      failed: false,
      card: false,
      none: false,
      word: "",
      became: "",
      offers: [],
      picture: "",
      last: 0,
      timer: 0,
      // Asked from the buttons of the card too, which are gone when the answer comes.
      whole: null,
      init() {
        this.whole = this.$root;
        this.fit();
      },
      fit() {
        const field = this.$refs.text;
        field.style.height = "auto";
        field.style.height = field.scrollHeight + 4 + "px";
      },
      typed() {
        this.fit();
        this.card = false;
        this.$refs.marks.classList.add("is-old");
        clearTimeout(this.timer);
        this.timer = setTimeout(() => this.ask(), 300);
      },
      answered(event) {
        if (event.target.name.startsWith("answer-")) this.ask();
      },
      ask() {
        clearTimeout(this.timer);
        const mine = ++this.last;
        const body = new FormData(this.whole.closest("form"));
        body.delete("upload");
        this.whole.setAttribute("aria-busy", "true");
        fetch(this.whole.dataset.url, { method: "POST", body: body, headers: { "X-Fragment": "1" } })
          .then((answer) => {
            if (!answer.ok || answer.redirected) throw new Error("no answer");
            return answer.text();
          })
          .then((html) => { if (mine === this.last) this.show(html); })
          .catch(() => { this.failed = true; })
          .finally(() => { if (mine === this.last) this.whole.setAttribute("aria-busy", "false"); });
      },
      show(html) {
        const page = parsed(html);
        const focus = document.activeElement;
        const typing = focus && this.$refs.asked.contains(focus) && focus.matches("input:not([type=radio])");
        const kept = typing && focus.value;
        this.failed = false;
        this.$refs.marks.replaceChildren(...page.querySelector("[data-marks]").childNodes);
        this.$refs.asked.replaceChildren(...page.querySelector("[data-asked]").childNodes);
        this.$refs.made.replaceChildren(...page.querySelector("[data-made]").childNodes);
        this.$refs.marks.classList.remove("is-old");
        const again = focus && focus.id && document.getElementById(focus.id);
        if (again && again !== focus) {
          if (typing) again.value = kept;
          again.focus({ preventScroll: true });
        }
        if (document.activeElement === this.$refs.text) this.touch();
      },
      touch() {
        const field = this.$refs.text;
        const at = field.selectionStart;
        const mark = [...this.$refs.marks.querySelectorAll("[data-from]")].find(
          (each) => Number(each.dataset.from) <= at && at <= Number(each.dataset.to),
        );
        this.$refs.marks.querySelectorAll(".is-here").forEach((each) => each.classList.remove("is-here"));
        this.light(mark ? mark.dataset.step : "");
        this.card = Boolean(mark) && field.selectionEnd === at && !this.$refs.marks.classList.contains("is-old");
        if (!this.card) return;
        mark.classList.add("is-here");
        this.word = mark.textContent.trim();
        this.became = mark.dataset.became ? "became: " + mark.dataset.became : "was not used";
        this.offers = JSON.parse(mark.dataset.offers);
        this.none = this.offers.length === 0;
        const card = this.$refs.card;
        card.style.top = mark.offsetTop + mark.offsetHeight + 6 + "px";
        card.style.left = Math.max(0, Math.min(mark.offsetLeft, this.$refs.sheet.clientWidth - 330)) + "px";
      },
      light(step) {
        this.$refs.made.querySelectorAll("[data-step]").forEach((each) => {
          each.classList.toggle("is-here", Boolean(step) && each.dataset.step === step);
        });
      },
      choose(event) {
        const chosen = document.createElement("input");
        Object.assign(chosen, { type: "hidden", name: "chosen", value: event.target.value });
        this.$refs.made.append(chosen);
        this.$refs.text.focus({ preventScroll: true });
        this.ask();
      },
      // A step that is touched shows where it stands in the text.
      pick(event) {
        const row = event.target.closest("li[data-step]");
        if (!row) return;
        const mark = this.$refs.marks.querySelector('[data-step="' + row.dataset.step + '"]');
        if (!mark) return;
        const from = Number(mark.dataset.from);
        this.$refs.text.focus({ preventScroll: true });
        this.$refs.text.setSelectionRange(from, from);
        mark.scrollIntoView({ block: "nearest" });
        this.touch();
      },
      filed(event) {
        const field = event.target;
        if (field.files.length && this.take(field.files[0])) field.value = "";
      },
      dropped(event) {
        if (event.dataTransfer.files.length) return this.take(event.dataTransfer.files[0]);
        this.put(event.dataTransfer.getData("text/plain"));
      },
      // A picture is looked at, a text is read; what is too large is left to the server's words.
      take(file) {
        const reader = new FileReader();
        if (file.type.startsWith("image/")) {
          reader.addEventListener("load", () => { this.picture = reader.result; });
          reader.readAsDataURL(file);
          return true;
        }
        if (file.size > 2000000) return false;
        reader.addEventListener("load", () => { this.put(reader.result); });
        reader.readAsText(file);
        return true;
      },
      put(text) {
        if (!text) return;
        this.$refs.text.value = text;
        this.typed();
      },
      away() {
        this.picture = "";
      },
    };
  });
});

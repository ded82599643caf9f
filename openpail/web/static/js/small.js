// Small things that a page may wear: a stopwatch, a button that prints, the zone of a browser.
document.addEventListener("alpine:init", () => {
  // A stopwatch: the first touch starts it, the second stops it and fills the field.
  window.Alpine.data("watch", function () {
    return {
      began: 0,
      timer: 0,
      shown: "0",
      words: "Rennet is in",
      toggle() {
        if (this.timer) {
          clearInterval(this.timer);
          this.timer = 0;
          this.words = "Begin again";
          this.$refs.seconds.querySelector("input").value = this.shown;
        } else {
          this.began = Date.now();
          this.words = "First flocks";
          this.timer = setInterval(() => { this.shown = String(Math.round((Date.now() - this.began) / 1000)); }, 200);
        }
      },
    };
  });

  window.Alpine.data("printer", function () {
    return { go() { window.print(); } };
  });

  // A new dairy stands where its browser does, unless it says otherwise.
  window.Alpine.data("zoned", function () {
    return {
      init() {
        const zone = this.$root.querySelector("#zone");
        if (!zone.value) zone.value = Intl.DateTimeFormat().resolvedOptions().timeZone;
      },
    };
  });
});

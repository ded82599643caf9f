import { parsed } from "/static/js/fragments.js";

document.addEventListener("alpine:init", () => {
  // A device is read in the background, so that the page never hangs and may be told to stop.
  window.Alpine.data("analyser", function () {
    return {
      busy: false,
      stop: null,
      send(event) {
        event.preventDefault();
        const form = event.target;
        this.stop = new AbortController();
        this.busy = true;
        fetch(form.action, { method: "POST", body: new FormData(form), signal: this.stop.signal })
          .then((answer) => answer.text())
          .then((html) => {
            const side = parsed(html).getElementById("new");
            document.getElementById("new").replaceWith(side);
            const said = document.getElementById("said");
            if (said) said.focus();
          })
          .catch(() => { this.busy = false; });
      },
      cancel() {
        if (this.stop) this.stop.abort();
        this.busy = false;
      },
    };
  });
});

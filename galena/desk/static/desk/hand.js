// Moves the parameters of a model by hand: slider and typed value go together, and what the server
// says of them is drawn at once. Owns nothing; the sheet that a panel belongs to draws.
import { contentOf, reach } from "../shell/js/answers.js";
import { asRead, typedNumber } from "../shell/js/decimal_sign.js";

export class Hand {
  constructor(sheetOf) {
    this.sheetOf = sheetOf;
  }

  moved(event) {
    const param = event.target.closest("[data-by-hand] .param");
    if (!param) return;
    const [number, slider] = [param.querySelector(".number"), param.querySelector("[type=range]")];
    if (event.target === slider)
      number.value = asRead(String(Number(Number(slider.value).toPrecision(6))));
    else if (Number.isFinite(typedNumber(number))) this.follow(slider, typedNumber(number));
    this.next = param.closest("[data-by-hand]");
    this.ask();
  }

  // A typed value beyond the slider's reach moves that reach along.
  follow(slider, value) {
    if (value < Number(slider.min)) slider.min = value - 2 * Math.abs(value || 1);
    if (value > Number(slider.max)) slider.max = value + 2 * Math.abs(value || 1);
    slider.value = value;
  }

  async ask() {
    if (this.asking) return;
    this.asking = true;
    while (this.next) {
      const panel = this.next;
      this.next = null;
      const fields = new URLSearchParams(
        [...panel.querySelectorAll(".param")].map((parameter) => [
          parameter.dataset.param,
          parameter.querySelector(".number").value,
        ]),
      );
      const fit = await contentOf(await reach(`${panel.dataset.hand}?${fields}`));
      if (!panel.isConnected || !fit) continue;
      const output = panel.querySelector("[data-shown=residuals]");
      if (output) output.textContent = fit.trouble ?? `by hand, not fitted: ${fit.text}`;
      if (!fit.trouble) this.sheetOf(Number(panel.closest(".ledger").dataset.sheet))?.lay(fit);
    }
    this.asking = false;
  }
}

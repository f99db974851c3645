// Has the server follow an object, some pictures at a time, and shows each time how far it is.
// Owns whether it goes on: pressed once more, it stops.
import { contentOf, contentAt } from "../shell/js/answers.js";
import { post } from "../shell/js/frame.js";
import { answered } from "../shell/js/in_turn.js";

let following = false;

// Follow: some pictures at a time, so that it is seen and can be stopped.
export async function followOn(url, film, object) {
  following = !following;
  await answered(); // the mark that it starts from may be under way
  while (following) {
    const answer = await post(url, { picture: film.at });
    const told = (await contentOf(answer)) ?? { trouble: "No answer came." };
    const shown = await contentAt(`${location.pathname}?object=${object}`, "text");
    const anew = new DOMParser().parseFromString(shown ?? "", "text/html").getElementById("panel");
    if (anew) htmx.swap("#panel", anew.outerHTML, { swapStyle: "outerHTML" });
    if (told.last !== undefined) film.show(told.last);
    following = following && told.done === false;
    const output = document.querySelector("[data-shown=followed]");
    if (output) output.textContent = told.trouble ?? told.told;
  }
}

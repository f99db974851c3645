// A file sent piece by piece, each behind the one before; what broke off goes on from where it was.
import { contentOf, reach } from "./answers.js";
import { post, token } from "./frame.js";

const AGAIN = 4; // times that a piece is tried

/**
 * Send a file; gives the page that it is shown on, or null where it was refused or broke off.
 * address: where it is announced; about: what else is said there; told: is given each sentence, and
 * which part was sent, 0 to 1.
 */
export async function sendInPieces(file, address, about, told) {
  const announced = await post(address, { name: file.name, size: file.size, ...about });
  const begun = (await contentOf(announced)) ?? {
    trouble: "The server does not answer. Try again in a moment.",
  };
  if (begun.trouble) {
    told(begun.trouble, null);
    return null;
  }
  let { sent } = begun;
  let failed = 0;
  while (sent < file.size) {
    told(`${Math.floor((100 * sent) / file.size)} % sent`, sent / file.size);
    const taken = await reach(`${begun.piece}?at=${sent}`, {
      method: "POST",
      body: file.slice(sent, sent + begun.most),
      headers: { "X-CSRFToken": token(), "Content-Type": "application/octet-stream" },
    });
    const answered = await contentOf(taken);
    if (answered?.trouble) {
      told(answered.trouble, null);
      return null;
    }
    failed = answered && answered.sent > sent ? 0 : failed + 1;
    if (answered) sent = answered.sent;
    if (failed > AGAIN) {
      told("Sending broke off. Choose the same file again.", null);
      return null;
    }
  }
  return begun.page;
}

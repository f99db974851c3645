// A sheet as PNG, in one, two or four times its size, or copied: painted from the SVG of the server,
// which holds its own fonts. Owns nothing but the line that says how it went.
import { contentOf, reach } from "../shell/js/answers.js";

async function painted(address, times) {
  const answer = await reach(address);
  const content = await contentOf(answer, answer?.ok ? "blob" : "text");
  if (content === null) throw new Error("The server does not answer.");
  if (!answer.ok) throw new Error(content);
  const url = URL.createObjectURL(content);
  try {
    const image = new Image();
    image.src = url;
    await image.decode();
    const canvas = document.createElement("canvas");
    canvas.width = image.naturalWidth * times;
    canvas.height = image.naturalHeight * times;
    canvas.getContext("2d").drawImage(image, 0, 0, canvas.width, canvas.height);
    const png = await new Promise((done) => canvas.toBlob(done, "image/png"));
    return { png, name: nameOf(answer.headers.get("Content-Disposition")) };
  } finally {
    URL.revokeObjectURL(url);
  }
}

const NAME = /filename\*=utf-8''([^;]+)\.svg|filename="([^"]+)\.svg"/i;
function nameOf(disposition) {
  const [, coded, plain] = NAME.exec(disposition ?? "") ?? [];
  return `${coded ? decodeURIComponent(coded) : (plain ?? "graph")}.png`;
}

async function save(address, times) {
  const { png, name } = await painted(address, times);
  const link = document.createElement("a");
  link.href = URL.createObjectURL(png);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

async function copy(address) {
  // given as a promise: the browser allows it only right after the press
  const png = painted(address, 2).then((made) => made.png);
  await navigator.clipboard.write([new ClipboardItem({ "image/png": png })]);
}

document.addEventListener("click", async (event) => {
  const button = event.target.closest("[data-times]");
  const box = button?.closest("[data-picture]");
  if (!box) return;
  const line = box.querySelector("[role=status]");
  const { times } = button.dataset;
  try {
    await (times === "copy" ? copy(box.dataset.picture) : save(box.dataset.picture, Number(times)));
    line.textContent = times === "copy" ? "Copied: paste it where you want it." : "";
  } catch (error) {
    line.textContent =
      times === "copy"
        ? "The browser does not let it be copied. Save it as PNG."
        : `This picture could not be made. ${error.message}`;
  }
});

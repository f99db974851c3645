// The apps' static folders are served as one: find "../shell/…" there. What posts to the server is
// replaced by a stand-in, since there is none.
import { registerHooks } from "node:module";

const SHELL = new URL("../../galena/shell/static/shell/", import.meta.url);
const FRAME = new URL("frame.js", import.meta.url);

registerHooks({
  resolve(specifier, context, next) {
    if (specifier === "../shell/js/frame.js") return { url: FRAME.href, shortCircuit: true };
    if (specifier.startsWith("../shell/"))
      return { url: new URL(specifier.slice("../shell/".length), SHELL).href, shortCircuit: true };
    return next(specifier, context);
  },
});

Object.assign(globalThis, { htmx: { ajax: async () => {}, swap: () => {} } });

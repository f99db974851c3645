// Stands in for shell/js/frame.js: keeps what would be posted.
export const posted = [];
export const WINDOW = "test";
export const say = () => {};
export const post = async (url, fields) => {
  posted.push([url, fields]);
  return { ok: true, text: async () => "" };
};

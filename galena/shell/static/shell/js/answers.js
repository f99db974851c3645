// Answers of the server. A page that is left, or a server that ends, breaks an answer off at any
// place, in its body as well: then there is none, and whoever asked goes on without it.

/** Give the answer, or null where none came. */
export const reach = (address, options) => fetch(address, options).catch(() => null);

/** Give what an answer holds ("json", "text", "blob", "arrayBuffer"), or null if not all came. */
export const contentOf = (answer, kind = "json") => answer?.[kind]().catch(() => null) ?? null;

/** Give what stands at an address, or null where it cannot be had now. */
export async function contentAt(address, kind = "json") {
  const answer = await reach(address);
  return answer?.ok ? contentOf(answer, kind) : null;
}

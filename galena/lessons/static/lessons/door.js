// The large door: says who has come in.
import { listen } from "../shell/js/live.js";

const door = document.getElementById("large-door");
const words = document.getElementById("who-is-in");

async function look() {
  const answer = await fetch(door.dataset.who).catch(() => null);
  if (!answer?.ok) return;
  const { groups, open } = await answer.json();
  const said = groups.length ? `${groups.length} in: ${groups.join(", ")}` : "Nobody is in yet.";
  words.textContent = open ? said : `${said} ${words.dataset.closed}`;
}

listen(door.dataset.events, { class: look, hello: look });

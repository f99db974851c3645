// The large door: says who has come in.
import { contentAt } from "../shell/js/answers.js";
import { listen } from "../shell/js/live.js";

const door = document.getElementById("large-door");
const words = document.getElementById("who-is-in");

async function look() {
  const who = await contentAt(door.dataset.who);
  if (!who) return;
  const { groups, open } = who;
  const said = groups.length ? `${groups.length} in: ${groups.join(", ")}` : "Nobody is in yet.";
  words.textContent = open ? said : `${said} ${words.dataset.closed}`;
}

listen(door.dataset.events, { class: look, hello: look });

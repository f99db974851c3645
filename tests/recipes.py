"""The recipes of docs/adding.md, read as a person would follow them."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
_STEP = re.compile(
    r"^(?:A new file `(?P<new>[^`]+)`|In `(?P<old>[^`]+)`, "
    r"(?:(?P<where>in|before) `(?P<anchor>[^`]+)`|(?P<end>at the end))):\n\n"
    r"```\w+\n(?P<text>.*?)^```$",
    re.M | re.S,
)


@dataclass(frozen=True)
class Step:
    """Something to be written into a file."""

    file: str
    text: str
    where: str  # "new", "in" what begins with the anchor, "before" it, or at the "end"
    anchor: str = ""

    def carry_out(self, folder: Path) -> None:
        """Do it in a copy of Galena."""
        file = folder / self.file
        if self.where == "new":
            assert not file.exists()
            file.write_text(self.text, "utf-8")
            return
        lines = file.read_text("utf-8").splitlines(keepends=True)
        place = len(lines) if self.where == "end" else self._place(lines)
        lines.insert(place, self.text)
        file.write_text("".join(lines), "utf-8")

    def _place(self, lines: list[str]) -> int:
        (begin,) = [n for n, line in enumerate(lines) if line.lstrip().startswith(self.anchor)]
        if self.where == "before":
            return begin
        indent = re.match(r" *", lines[begin])[0]
        closing = re.compile(rf"{indent}[)\]}}]")
        return next(n for n in range(begin + 1, len(lines)) if closing.match(lines[n]))


def recipes() -> dict[str, list[Step]]:
    """Give the steps of each recipe, by its title."""
    text = (ROOT / "docs" / "adding.md").read_text("utf-8")
    titles = re.split(r"^## (.+)$", text, flags=re.M)[1:]
    return {
        title: list(_steps(content)) for title, content in zip(*[iter(titles)] * 2, strict=True)
    }


def _steps(content: str) -> Iterator[Step]:
    for step in _STEP.finditer(content):
        if step["new"]:
            yield Step(step["new"], step["text"], "new")
        else:
            yield Step(step["old"], step["text"], step["where"] or "end", step["anchor"] or "")

"""Draws docs/layers.svg: the layers that import-linter holds, each with what it is for.

Run: python -m scripts.layers
"""

import ast
import tomllib
from html import escape
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
PICTURE = ROOT / "docs" / "layers.svg"
ROOMS = ("desk", "recording", "bench", "experiments")  # apps whose rooms are shown
WIDTH, ROW, NAMES, LEFT = 880, 30, 132, 16
STYLE = (
    "text{font:13px sans-serif;fill:#1c2733}.name{font-weight:600}"
    ".soft{font-size:11px;fill:#51606e}.app{fill:#f4f6f8;stroke:#9aa8b5}.pure{fill:#e4eef4;stroke:#6d8fa6}"
)
NOT_ROOMS = {"migrations", "templatetags"}


def layers() -> list[str]:
    """Give the packages of Galena from the top layer down."""
    return [name.removeprefix("galena.") for name in _contracts()[0]["layers"]]


def rooms(app: str) -> str:
    """Give the rooms of an app from the top layer down, those side by side in one text; last
    those that the contracts do not order."""
    ordered = [
        " · ".join(packages)
        for contract in _contracts()
        if contract.get("containers") == [f"galena.{app}"]
        for row in contract["layers"]
        if (packages := _packages(app, row))
    ]
    named = " ".join(ordered).split()
    folders = (ROOT / "galena" / app).glob("*/__init__.py")
    others = sorted({folder.parent.name for folder in folders} - {*named, *NOT_ROOMS})
    return "; ".join(part for part in (" › ".join(ordered), ", ".join(others)) if part)


def _contracts() -> list[dict]:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))
    return project["tool"]["importlinter"]["contracts"]


def _packages(app: str, row: str) -> list[str]:
    parts = [part.strip() for part in row.split(":")]
    return [part for part in parts if (ROOT / "galena" / app / part / "__init__.py").exists()]


def purpose(package: str) -> str:
    """Give the first line of a package's docstring."""
    tree = ast.parse((ROOT / "galena" / package / "__init__.py").read_text("utf-8"))
    return (ast.get_docstring(tree) or "").split("\n")[0]


def draw() -> str:
    """Give the picture as SVG."""
    parts, top = [], 40
    for package in layers():
        listed = rooms(package) if package in ROOMS else ""
        height = ROW + (16 if listed else 0)
        look = "pure" if package in ("core", "instruments") else "app"
        parts += [
            f'<rect x="{LEFT}" y="{top}" width="{WIDTH - 2 * LEFT}" height="{height}" rx="4" '
            f'class="{look}"/>',
            _text(LEFT + 12, top + 20, package, "name"),
            _text(LEFT + NAMES, top + 20, purpose(package)),
        ]
        if listed:
            parts.append(_text(LEFT + NAMES, top + 37, listed, "soft"))
        top += height + 6
    head = _text(LEFT, 24, "An import may only point downwards; › parts the rooms of an app, top "
                 "first. Blue knows no Django.", "soft")  # fmt: skip
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {top + 10}" role="img" '
        f'aria-label="The layers of Galena"><style>{STYLE}</style>'
        f'<rect width="{WIDTH}" height="{top + 10}" fill="#fff"/>\n{head}\n' + "\n".join(parts)
        + "\n</svg>\n"
    )  # fmt: skip


def _text(x: int, y: int, words: str, look: str = "") -> str:
    attribute = f' class="{look}"' if look else ""
    return f'<text x="{x}" y="{y}"{attribute}>{escape(words)}</text>'


if __name__ == "__main__":
    PICTURE.write_text(draw(), "utf-8")

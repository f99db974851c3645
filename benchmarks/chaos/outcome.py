"""What a part of the chaos found: what was done how often, and what did not hold."""

from dataclasses import dataclass, field

from benchmarks import sizes


@dataclass
class Outcome:
    """Lines of a report, and what was not as it should be."""

    title: str
    lines: list[str] = field(default_factory=list)
    broken: list[str] = field(default_factory=list)

    def say(self, line: str) -> None:
        self.lines.append(line)

    def hold(self, holds: bool, otherwise: str) -> None:
        """Note what did not hold, where it did not."""
        if not holds:
            self.broken.append(otherwise)

    def be_quick(self, holds: bool, otherwise: str) -> None:
        """Note what took too long; in a small run, which may share its computer, nobody judges."""
        if not sizes.SMALL:
            self.hold(holds, otherwise)

    def markdown(self) -> str:
        """Write it as a section of the report."""
        end = [f"- **Not held**: {one}" for one in self.broken] or ["- All of it held."]
        return "\n".join([f"## {self.title}", "", *(f"- {one}" for one in self.lines), *end, ""])


def spread(values: list[float], unit: str = "ms") -> str:
    """Tell the middle and the most of some values."""
    listed = sorted(values)
    if not listed:
        return "nothing counted"
    return f"median {listed[len(listed) // 2]:.0f} {unit}, most {listed[-1]:.0f} {unit}"

"""Throw junk at one target, led by which lines of Galena it reaches.

Run: python -m benchmarks.fuzz.guided NAME [folder of a corpus] [options of libFuzzer]
"""

import sys

import atheris

with atheris.instrument_imports(include=["galena.core", "galena.instruments.protocols"]):
    from benchmarks.fuzz.targets import TARGETS


def main() -> None:
    """Throw junk until the options say enough; ends the process."""
    target = TARGETS[sys.argv.pop(1)]
    atheris.Setup([word for word in sys.argv if word != "--small"], target)
    atheris.Fuzz()


if __name__ == "__main__":
    main()

"""The page of what was measured: its sections are renewed one by one, in the order of `ALL`."""

import sys

import benchmarks.__main__ as every


def renew(monkeypatch, page, *names, ms):
    monkeypatch.setattr(every, "PAGE", page)
    monkeypatch.setattr(every.sizes, "SMALL", False)
    monkeypatch.setattr(every, "said_by", lambda benchmark: f"{benchmark.name}: {ms} ms")
    monkeypatch.setattr(sys, "argv", ["benchmarks", *names])
    every.main()


def test_a_section_is_renewed_and_the_others_stay(monkeypatch, tmp_path):
    page = tmp_path / "measured.md"
    page.write_text("# What was measured\n\nAs it was.\n\n## Long gone\nNo more.\n")
    renew(monkeypatch, page, "formulas", "answers", ms=5)
    before = every.sections_of(page.read_text())
    assert list(before) == ["How fast the server answers", "Formulas"]
    renew(monkeypatch, page, "formulas", ms=7)
    after = every.sections_of(page.read_text())
    assert after["How fast the server answers"] == before["How fast the server answers"]
    assert "formulas: 7 ms" in after["Formulas"] and "formulas: 5 ms" not in page.read_text()
    assert "a million additions took" in after["Formulas"]

"""What ships is fetched once by a browser, and anew where it has changed."""

import re

from galena.config import shipped


def test_another_state_of_the_files_has_another_address(tmp_path):
    folder = tmp_path / "desk" / "static" / "desk"
    folder.mkdir(parents=True)
    (folder / "desk.js").write_text("export {};")
    first = shipped.address(tmp_path)
    assert first == shipped.address(tmp_path)
    assert re.fullmatch(r"/static/[0-9a-f]{12}/", first)
    (folder / "desk.js").write_text("export const a = 1;")
    changed = shipped.address(tmp_path)
    (folder / "view.js").write_text("")
    assert len({first, changed, shipped.address(tmp_path)}) == 3


def test_a_browser_keeps_the_files_of_a_page(as_ada, settings):
    page = as_ada.get("/").content.decode()
    files = re.findall(r'(?:href|src)="(/static/[^"]+)"', page)
    assert len(files) > 5
    for file in files:
        answer = as_ada.get(file)
        assert answer.status_code == 200, file
        assert "immutable" in answer["Cache-Control"]
    assert "immutable" not in as_ada.get("/").get("Cache-Control", "")
    elsewhere = files[0].replace(settings.STATIC_URL, "/static/0123456789ab/")
    assert as_ada.get(elsewhere).status_code == 404

"""From the first start to a second teacher, by keyboard, and what is kept; axe on each page."""

import pytest
from playwright.sync_api import expect

from galena.classroom.models import Person
from galena.classroom.people import FIRST
from tests.browser.test_accessibility import violations

WITHOUT_RIG = True


@pytest.fixture
def nobody(room, window, settings, ada):
    """A server at which nobody has an account yet, outside of the demo."""
    settings.GALENA_DEMO = False
    ada.delete()
    page = window()
    page.room = room
    yield page
    FIRST._key = ""


def test_the_first_teacher_comes_in_adds_another_and_sees_what_is_kept(nobody):
    page, at = nobody, nobody.room.url
    page.goto(f"{at}/sign-in")
    expect(page.get_by_text("No teacher has an account here yet")).to_be_visible()
    page.goto(f"{at}/first/{FIRST.begin()}")
    assert violations(page) == []
    expect(page.get_by_label("First name")).to_be_focused()
    for typed in ("Ada", "ada", "skerry-lamps"):
        page.keyboard.type(typed)
        page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page.get_by_text("There is no experiment yet.")).to_be_visible()
    page.get_by_text("Ada ▾").click()
    page.get_by_role("link", name="People").click()
    page.get_by_label("First name").fill("Tern")
    page.get_by_label("Name to sign in with").fill("tern")
    page.get_by_label("Password, of at least 12 characters").fill("skerry-lamps")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_role("status")).to_have_text("Tern can sign in as tern.")
    row = page.get_by_role("row", name="Tern")
    row.get_by_text("New password…").click()
    page.get_by_label("New password for Tern").fill("1")
    page.keyboard.press("Escape")
    row.get_by_role("button", name="Take away").click()
    expect(page.get_by_role("status")).to_contain_text("Tern cannot sign in any more.")
    assert violations(page) == []
    page.get_by_text("Ada ▾").click()
    page.get_by_role("link", name="What is kept").click()
    page.get_by_role("button", name="Make one now").click()
    # The tests' database has a name of its own, so there is nothing here to keep.
    expect(page.get_by_role("alert").first).to_contain_text("there is nothing to keep")
    assert violations(page) == []
    assert sorted(Person.objects.values_list("username", "is_active")) == [
        ("ada", True), ("tern", False),
    ]  # fmt: skip


def test_a_removed_experiment_is_brought_back(page, experiment):
    page.goto(f"{page.room.url}/")
    page.get_by_label("About Tide tank").click()
    page.get_by_role("button", name="Remove", exact=True).click()
    expect(page.get_by_role("status")).to_contain_text("can be brought back for thirty days")
    page.get_by_role("link", name="Experiments").click()
    expect(page.get_by_role("heading", name="Tide tank")).to_have_count(0)
    page.go_back()
    page.get_by_role("button", name="Bring back").click()
    page.get_by_role("link", name="Experiments").click()
    expect(page.get_by_role("heading", name="Tide tank")).to_be_visible()

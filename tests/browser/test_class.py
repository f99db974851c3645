"""A lesson from its beginning to the report that comes back: one teacher, three groups, each in a
browser of its own.
"""

import re

import pytest
from django.test import Client
from playwright.sync_api import expect

from galena.bench.live.bench import BENCH
from galena.classroom.models import Lesson, Person
from galena.classroom.patience import GUESSES
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.models import Run
from galena.lessons import coming_in
from galena.shell.worker import WORKERS
from tests.browser import at_record
from tests.browser.at_desk import drag, drag_across, pixel, until_shown
from tests.browser.conftest import PATIENCE, _complaint
from tests.browser.late import Late
from tests.browser.test_accessibility import violations
from tests.waiting import until
from tests.web import classes

SIZES = {"Gannet": (1280, 800), "Tern": (768, 1024), "Skua": (1280, 800)}


@pytest.fixture(autouse=True)
def press():
    GUESSES.forget()
    yield
    WORKERS.close()


@pytest.fixture
def device(chromium, room):
    """Give a way to take another device into the hand; no error of its pages is left unnoticed."""
    contexts, faults = [], []

    def take(size=(1280, 800)):
        context = chromium.new_context(viewport={"width": size[0], "height": size[1]})
        context.set_default_timeout(PATIENCE)
        contexts.append(context)

        def watch(page):
            page.on("pageerror", lambda error: faults.append(f"error: {error}"))
            page.on("console", lambda said: _complaint(said, faults))

        context.on("page", watch)
        return context.new_page()

    yield take
    for context in contexts:
        context.close()
    assert faults == []


def come_in(device, room, code, name, size=(1280, 800)):
    page = device(size)
    page.goto(f"{room.url}/come-in")
    page.locator("#code").fill(code.lower())
    page.locator("#name").fill(name)
    page.get_by_role("button", name="Come in").click()
    expect(page.get_by_role("heading", name="Task")).to_be_visible()
    return page


def of_group(page, name):
    return page.locator("table.who tbody tr", has=page.get_by_role("rowheader", name=name))


def mark_off(page, lo, hi):
    """Mark a stretch off at the Desk and ask for its line; gives the slope as it is written."""
    until_shown(page, "s.runs >= 1")
    drag_across(page, lo, hi)
    card = page.get_by_role("region", name="Span A")
    card.get_by_role("button", name="line", exact=True).click()
    row = card.get_by_role("row", name=re.compile("^slope"))
    expect(row).to_contain_text("mm/s")
    return re.search(r"([\d.]+) ± [\d.]+", row.inner_text())[0]


def test_a_lesson_from_coming_in_to_the_report_that_comes_back(page, room, device):
    # the teacher makes an experiment, and a lesson with it in two acts
    at_record.begin(page, "Tide tank", "pump (mL/s)", "Tide tank")
    page.goto(room.url)
    page.get_by_label("About Tide tank").click()
    page.get_by_role("link", name="Hold a lesson with it").click()
    page.get_by_label("Title").fill("Filling the tide tank")
    page.get_by_role("button", name="Begin the lesson").click()
    code = page.locator(".door .code").inner_text()
    assert violations(page) == []
    groups = {name: come_in(device, room, code, name, size) for name, size in SIZES.items()}
    for name in groups:
        expect(of_group(page, name)).to_contain_text("now at the task")

    # a run of the teacher's forms on every group's page; who comes late sees all of it
    desk = page.context.new_page()
    desk.goto(page.url)
    desk.get_by_role("link", name="Tide tank", exact=True).click()
    desk.get_by_role("link", name="Record", exact=True).click()
    desk.wait_for_url("**/record")
    desk.wait_for_load_state()
    at_record.move(desk, "pump", 40)
    desk.get_by_role("checkbox", name="water temperature").uncheck()
    at_record.fill(desk, rate="50", duration="8")
    at_record.space(desk)
    for group in groups.values():
        expect(group.get_by_role("region", name="Live from Ada")).to_be_visible()
        expect(group.locator("#live-words")).to_contain_text("run 1")
    late = come_in(device, room, code, "Dunlin", (390, 844))
    at_record.runs(1)
    later = come_in(device, room, code, "Whimbrel", (390, 844))
    for group in (*groups.values(), late, later):
        expect(group.locator("#live-words")).to_have_text("run 1: 400 readings")
    assert violations(late) == []

    # one group takes it, all others are given it
    groups["Gannet"].get_by_role("button", name="Take run 1 into our copy").click()
    expect(groups["Gannet"].get_by_text("It is in our copy.")).to_be_visible()
    page.get_by_role("button", name="Give run 1 to all").click()
    expect(groups["Tern"].get_by_text("It is in our copy.")).to_be_visible()
    until(lambda: Run.objects.filter(number=1).count() == 6, "all five copies to have it")

    # each marks off a stretch; Skua takes the time before the pump was on into it
    slopes = {}
    for name, group in groups.items():
        group.get_by_role("link", name="Desk", exact=True).click()
        slopes[name] = mark_off(group, *((0.5, 7.5) if name != "Tern" else (1.0, 6.0)))
    expect(of_group(page, "Tern")).to_contain_text("now at the Desk")

    # everyone's answers meet: of one recording, so that their mean is no surer than one
    form = Late(page, "**/ask")  # what happens in the lesson meanwhile does not take it away
    page.get_by_role("button", name="Ask all groups").click()
    page.evaluate("() => document.dispatchEvent(new Event('visibilitychange'))")
    form.let_go()
    page.locator(".ask-all").get_by_role("button", name="Ask all groups").first.click()
    answers = page.get_by_role("complementary", name="Everyone’s answers")
    expect(answers.locator("circle.answer")).to_have_count(3)
    for name, slope in slopes.items():
        expect(of_group(page, name)).to_contain_text(slope)
    expect(answers).to_contain_text("no surer than one of them")
    page.get_by_label("About Skua", exact=True).click()
    page.get_by_label("Why Skua is left out").fill("the pump was still off")
    page.get_by_role("button", name="Leave out").click()
    expect(answers).to_contain_text("Skua is left out: the pump was still off")
    answers.get_by_role("button", name="Show to all").click()
    tern = groups["Tern"]
    tern.goto(f"{room.url}/lesson")
    found = tern.get_by_role("region", name="What the groups found")
    expect(found.locator("circle.answer.own")).to_have_count(1)

    # the teacher looks in, and says a word that disturbs nobody
    page.get_by_label("About Tern", exact=True).click()
    page.get_by_label("Remark to Tern").fill("Why from 1 s on?")
    page.get_by_role("button", name="Say").first.click()
    expect(tern.get_by_text("Why from 1 s on?")).to_be_visible()
    of_group(page, "Gannet").get_by_role("link", name="look in").click()
    expect(page.get_by_text("You look in on Gannet’s work")).to_be_visible()
    until_shown(page, "s.runs >= 1")
    drag_across(page, 1, 2)
    expect(page.locator("#banner")).to_contain_text("only they change it")
    page.get_by_role("link", name="Back to the class").click()

    # the report is written, handed in, remarked on at a number, and comes back
    gannet = groups["Gannet"]
    gannet.get_by_role("link", name="Report", exact=True).click()
    gannet.wait_for_load_state()
    gannet.get_by_label("Text in Markdown").fill("The level rises by {A.line.1.slope}.\n\n{graph}")
    expect(gannet.locator("#kept")).to_have_text("kept")
    gannet.goto(f"{room.url}/lesson")
    gannet.get_by_role("button", name="Hand in our report").click()
    expect(gannet.get_by_role("region", name="Our report")).to_contain_text("handed in")
    of_group(page, "Gannet").get_by_role("link", name=re.compile("handed in")).click()
    page.locator("#paper .quoted[tabindex]").click()
    expect(page.locator("#remark-to")).to_contain_text(slopes["Gannet"])
    page.locator("#remark-text").fill("How many readings does this rest on?")
    page.get_by_role("button", name="Save").click()
    expect(page.locator("#paper .quoted .remark-sign")).to_have_text("1")
    assert violations(page) == []
    page.get_by_role("button", name="Hand back").click()
    expect(gannet.get_by_role("region", name="Our report")).to_contain_text("1 remark")
    gannet.get_by_role("region", name="Our report").get_by_role("link").first.click()
    expect(gannet.get_by_text("How many readings does this rest on?")).to_be_visible()
    expect(gannet.locator("#paper .quoted .remark-sign")).to_have_text("1")

    # it ends: the groups leave, their copies stay
    page.goto(f"{room.url}/class")
    page.get_by_role("link", name="Filling the tide tank").click()
    page.get_by_role("button", name="End the lesson").click()
    expect(page.get_by_text("The copies stay here.")).to_be_visible()
    tern.goto(f"{room.url}/lesson")
    expect(tern.get_by_role("heading", name="Sign in")).to_be_visible()


def signed_in(device, room, person):
    page = device()
    session = Client()
    session.force_login(person, backend="django.contrib.auth.backends.ModelBackend")
    key = session.cookies["sessionid"].value
    page.context.add_cookies([{"name": "sessionid", "value": key, "url": room.url}])
    return page


def test_a_shown_desk_is_followed_and_a_lent_gauge_is_used(page, room, device, experiment):
    classes.recorded(experiment)
    level = experiment.quantities.get(name="water level")
    sheet_flows.add_sheet(experiment, None, [level], "afterwards")
    lesson = classes.begin(experiment, ("conditions", "quantities", "sheets"))
    members = [classes.group(lesson, name) for name in ("Gannet", "Tern")]
    gannet, tern = (signed_in(device, room, member) for member in members)
    for group in (gannet, tern):
        group.goto(f"{room.url}/lesson")

    page.goto(f"{room.url}/class/{lesson.pk}")
    page.get_by_role("button", name="Show my Desk to all").click()
    gannet.get_by_role("link", name="See Ada’s Desk").click()
    expect(gannet.get_by_text("Ada shows their Desk")).to_be_visible()
    desk = page.context.new_page()
    desk.goto(f"{room.url}/experiments/{experiment.pk}/desk")
    until_shown(desk, "s.runs >= 1")
    until_shown(gannet, "s.runs >= 1")
    stack = desk.locator(".stack").bounding_box()
    desk.mouse.move(stack["x"] + 400, stack["y"] + 200)
    desk.mouse.wheel(0, -300)
    until_shown(desk, "s.x[1] - s.x[0] < 18")
    until_shown(gannet, "s.x[1] - s.x[0] < 18")
    drag(desk, pixel(desk, 8, 20), pixel(desk, 11, 20))
    expect(gannet.get_by_role("region", name="Span A")).to_be_visible()
    desk.mouse.move(*pixel(desk, 10, 20))
    read = re.compile(r"^t (9\.[5-9]|10\.[0-4]) s")
    expect(desk.locator(".reading")).to_have_text(read)
    expect(gannet.locator(".reading")).to_have_text(desk.locator(".reading").inner_text())
    desk.get_by_role("button", name="afterwards").click()
    tab = gannet.get_by_role("button", name="afterwards")
    expect(tab).to_have_attribute("aria-current", "true")
    until_shown(desk, "s.runs >= 1")
    until_shown(gannet, "s.runs >= 1")
    expect(desk.locator(".reading")).to_have_text(re.compile(r"^t \d"))
    # all that was asked for of the Desk has come: what is asked for later is refused
    expect(gannet.locator(".reading")).to_have_text(desk.locator(".reading").inner_text())
    page.get_by_role("button", name="Stop showing my Desk").click()
    expect(gannet.get_by_role("heading", name="Task")).to_be_visible()

    # the gauge is lent: the group sees, zeroes and records; the teacher cannot meanwhile
    tern.get_by_role("link", name="Bench", exact=True).click()
    expect(tern.get_by_text("No instrument is lent to you now.")).to_be_visible()
    page.locator("#lend-what").select_option(label="Level gauge LG-1 0007")
    page.locator("#lend-whom").select_option(label="to Tern")
    page.get_by_role("button", name="Lend", exact=True).click()
    expect(page.get_by_text("is lent to Tern since")).to_be_visible()
    tern.reload()
    strip = tern.get_by_role("region", name="water level")
    expect(strip.locator("[data-shown=text]")).to_have_text(re.compile(r"\d"))
    strip.get_by_role("button", name="Zero", exact=True).click()
    expect(strip.get_by_text("zero at")).to_be_visible()
    expect(tern.get_by_role("region", name="water temperature")).to_have_count(0)
    tern.get_by_role("link", name="Plan a run").click()
    at_record.fill(tern, rate="20", duration="2")
    at_record.space(tern)
    until(lambda: members[1].copy.experiment.runs.filter(state="finished").exists(), "the run")
    page.goto(f"{room.url}/experiments/{experiment.pk}/bench")
    expect(page.get_by_text("lent to Tern")).to_be_visible()
    own = page.get_by_role("region", name="water level")
    own.get_by_role("button", name="Zero", exact=True).click()
    expect(page.get_by_text("Take it back first.")).to_be_visible()
    page.goto(f"{room.url}/class/{lesson.pk}")
    page.get_by_role("button", name="Take it back").click()
    expect(page.get_by_text("is lent to Tern since")).to_have_count(0)
    tern.get_by_role("link", name="Bench", exact=True).click()
    expect(tern.get_by_text("No instrument is lent to you now.")).to_be_visible()
    assert BENCH.live_channels()


def test_two_devices_of_a_group_see_each_other_s_work(room, device, experiment):
    classes.recorded(experiment)
    member = classes.group(classes.begin(experiment), "Gannet")
    one, other = (signed_in(device, room, member) for _ in range(2))
    desk = f"{room.url}/experiments/{member.copy.experiment_id}/desk"
    for of_group in (one, other):
        of_group.goto(desk)
        until_shown(of_group, "s.runs >= 1")
    drag(one, pixel(one, 4, 20), pixel(one, 12, 20))
    expect(other.get_by_role("region", name="Span A")).to_be_visible()
    card = other.get_by_role("region", name="Span A")
    card.get_by_role("button", name="line", exact=True).click()
    for of_group in (one, other):
        span = of_group.get_by_role("region", name="Span A")
        expect(span.get_by_role("row", name=re.compile("^slope"))).to_contain_text("mm/s")


def test_the_door_fills_a_projector_and_the_group_comes_back_on_a_phone(page, room, device,
                                                                       experiment):  # fmt: skip
    lesson = classes.begin(experiment)
    page.goto(f"{room.url}/class/{lesson.pk}/door")
    expect(page.locator(".large-code")).to_have_text(lesson.code)
    assert violations(page) == []
    gannet = come_in(device, room, lesson.code, "Gannet", (390, 844))
    expect(page.locator("#who-is-in")).to_contain_text("1 in: Gannet")
    gannet.wait_for_function("document.documentElement.scrollWidth <= 390")
    word = gannet.locator(".their-word").inner_text()
    assert word == coming_in.word(Person.objects.get(first_name="Gannet"))
    other = device((390, 844))
    other.goto(f"{room.url}/come-in")
    assert violations(other) == []
    other.get_by_text("We were in already").click()
    other.get_by_label("Code of the lesson").last.fill(lesson.code)
    other.get_by_label("Your word").fill(word)
    other.get_by_role("button", name="Come back").click()
    expect(other.get_by_role("heading", name="Task")).to_be_visible()
    assert Lesson.objects.get().groups.count() == 1

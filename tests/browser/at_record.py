"""What a person does on Record, by the page alone: rigs, plans, handles, runs."""

from playwright.sync_api import expect

from galena.bench.live.bench import BENCH
from galena.experiments.models import Run
from tests import recording_now
from tests.waiting import until


def begin(page, title, conditions, rig):
    """Make an experiment, plug a rig in at its Record, and put the Tide tank away."""
    page.goto(page.room.url)
    page.get_by_role("link", name="New experiment").click()
    page.get_by_label("Title").fill(title)
    page.get_by_label("Conditions that change").fill(conditions)
    page.get_by_role("button", name="Make it and go to its Bench").click()
    page.get_by_role("link", name="Record", exact=True).click()
    page.wait_for_url("**/record")
    page.wait_for_load_state()
    if rig == "Tide tank":
        return
    page.get_by_role("button", name="Choose…").click()
    page.get_by_role("button", name=f"Plug in {rig}").click()
    expect(page.get_by_role("button", name=f"Unplug {rig}")).to_be_visible()
    page.get_by_role("button", name="Unplug Tide tank").click()
    expect(page.get_by_role("button", name="Plug in Tide tank")).to_be_visible()
    page.keyboard.press("Escape")
    until(lambda: {one.instrument.serial for one in BENCH.live_channels()}, "the instruments")
    until(lambda: "0007" not in {c.instrument.serial for c in BENCH.live_channels()}, "the tank")
    page.reload()
    page.wait_for_load_state()


def choose(page, plan):
    """Choose a kind of plan."""
    page.locator(".kinds label", has_text=plan).click()
    expect(page.locator(f"main.record[data-kind={plan}]")).to_be_attached()


def choose_event(page, label):
    """Choose what an armed run starts with."""
    with page.expect_response(lambda answer: "/record/panel" in answer.url):
        page.locator("#event").select_option(label=label)
    expect(page.locator("#event option:checked")).to_have_text(label)


def space(page):
    """Press Space where no field has it, once the page listens to keys."""
    page.wait_for_load_state("load")
    page.locator(".forming").click(position={"x": 300, "y": 8})
    page.keyboard.press("Space")


def fill(page, **fields):
    """Type into fields of the plan, by their names, once the page listens to them."""
    page.wait_for_load_state("load")
    for name, text in fields.items():
        page.locator(f"#act [name={name}]").fill(text)


def hold(page, **conditions):
    """Type conditions of the next run, by their names with _ for a space."""
    for name, text in conditions.items():
        label = page.locator("#act .field", has_text=name.replace("_", " "))
        field = label.locator("input, select").first
        if field.evaluate("element => element.tagName") == "SELECT":
            field.select_option(text)
        else:
            field.fill(text)


def move(page, handle, value):
    """Move a handle of the rig to a value, or to a choice, and see that it is there."""
    control = page.locator(f"#handle-{handle}")
    if control.evaluate("element => element.tagName") == "SELECT":
        with page.expect_response(lambda answer: "/handle" in answer.url):
            control.select_option(str(value))
    else:
        with page.expect_response(lambda answer: "/handle" in answer.url):
            control.fill(str(value))


def rig_state():
    """Give the state of the one rig that is plugged in."""
    (rig,) = BENCH.room.plugged.values()
    return rig.state


def runs(count, state=Run.State.FINISHED):
    """Wait for so many runs to be over, and give them."""
    until(lambda: Run.objects.filter(state=state).count() >= count, f"{count} runs")
    until(lambda: recording_now.is_free(), "the recorder to have looked at the run")
    return list(Run.objects.order_by("number"))


def listed(page, number):
    """The run in the list beside the trace."""
    return page.locator(f'#run-list [data-run="{number}"]')

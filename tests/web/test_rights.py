"""Who may see and change what: every address, both methods, every role."""

import contextlib
from http import cookies

import pytest
from django.db import connections, transaction

from galena.classroom.models import Person
from galena.exchange import working
from galena.lessons import flows, handing_out
from galena.lessons.models import Task
from tests.pages import PageClient
from tests.web import classes, everything

ROLES = ("nobody", "group", "other group", "group of another lesson", "teacher", "other teacher",
         "staff")  # fmt: skip
GROUPS = {"group", "other group", "group of another lesson"}
SIGNED_IN = set(ROLES) - {"nobody"}
TEACHERS = {"teacher", "other teacher", "staff"}

OPEN = {"sign-in", "sign-in-demo", "first-teacher", "come-in", "come-back"}
OF_ANYBODY = {
    "sign-out",
    "room",
    "decimal-sign",
    "my-lesson",
    "experiments",
    "taking-in",
}  # each sees what is their own there
OF_ARRIVALS = {"arrival", "arrival-piece", "leave-arrival", "take-in-table", "take-experiment"}
OF_TEACHERS = {"new-experiment", "lessons", "new-lesson", "people", "kept"}
OF_MANAGERS = {"add-person", "take-away", "let-in-again", "back-up", "backup-file"}
OF_ADA = {"new-password"}  # whose account is asked for
TEACHES_ONLY = {
    "duplicate",
    "archive",
    "plug",
    "look-again",
    "connect",
    "name-instrument",
    "columns",
    "connect-typed",
    "forget-typed",
    "remove-experiment",
    "bring-back",
    "delete-experiment",
    "bring-run-back",
}
OF_CLASS = {
    "lesson", "class-now", "class-events", "task", "end-lesson", "remove-lesson", "who-is-in",
    "door", "set-door", "rename-group", "remove-group", "exchange-copies", "give-run",
    "follow-calibration", "show-desk", "showing", "lend", "take-back", "say", "ask-form",
    "ask-all", "hide-names", "freeze-answers", "drop-question", "show-answers", "answers-table",
    "leave-out", "hand-ins", "hand-ins-zip", "handed-in", "add-remark", "remove-remark",
    "hand-back", "handed-in-file",
}  # fmt: skip
OF_ITS_GROUP = {"returned", "returned-file"}
OF_ANY_GROUP = {"my-lesson-now", "my-events", "live-status", "live-missed", "take-run",
                "type-answer", "hand-in"}  # fmt: skip
BRINGS = {"bring", "new-arrival"}  # without an experiment it becomes a new one: teachers only


@pytest.fixture
def world(experiment, tern, settings, monkeypatch):
    """Ada's experiment and lesson, the copy of a group, and everybody who might look at them."""
    monkeypatch.setattr(working, "_begin", lambda work, act: working._do(work, act))
    working.forget("")
    monkeypatch.setattr(connections, "close_all", lambda: None)  # streams let go of the database
    own = everything.make(experiment)
    of_class = everything.of_a_class(experiment)
    lesson = Task.objects.get(experiment=experiment).lesson
    group = Person.objects.get(pk=of_class["group_id"])
    copy = handing_out.hand_out(experiment, group, handing_out.CHOICES)
    group.copy.experiment.owner = experiment.owner
    group.copy.experiment.save()
    group.copy.experiment = copy
    group.copy.save()
    another = classes.begin(experiment)
    people = {
        "group": group, "other group": classes.group(lesson, "Puffin"),
        "group of another lesson": classes.group(another, "Skua"), "teacher": experiment.owner,
        "other teacher": tern,
        "staff": Person.objects.create_user("staff", first_name="Fulmar", is_staff=True),
    }  # fmt: skip
    browsers = {role: classes.client_of(person) for role, person in people.items()}
    browsers["nobody"] = PageClient()
    return {"teacher": own | of_class, "group": everything.keys_of(copy) | of_class}, browsers


def expected(name, method, owner):
    """Tell who may use an address of something that is the teacher's, or a group's."""
    if name in OPEN:
        return set(ROLES)
    if name in OF_ANYBODY:
        return SIGNED_IN
    if name in OF_TEACHERS | BRINGS:
        return TEACHERS
    if name in OF_MANAGERS:
        return {"staff"}
    if name in OF_ADA or name in OF_CLASS:
        return {"teacher", "staff"}
    if name in OF_ITS_GROUP:
        return {"group"}
    if name in OF_ANY_GROUP:
        return GROUPS
    if name in OF_ARRIVALS:  # a group makes no experiment of a file
        return {owner} - (GROUPS if name == "take-experiment" else set())
    if method == "POST":
        return {owner, "staff"} - (GROUPS if name in TEACHES_ONLY else set())
    return {owner, "staff", "teacher"} - (GROUPS if name == "columns" else set())


def is_let_in(response):
    """Tell whether an answer is more than a refusal."""
    to_sign_in = response.status_code == 302 and response.url.startswith("/sign-in?")
    return response.status_code not in (403, 404) and not to_sign_in


@contextlib.contextmanager
def taken_back():
    with transaction.atomic():
        yield
        transaction.set_rollback(True)


NOT_THERE = {  # what the fixture has none of, or what is there in another mode only
    "sign-in-demo", "sheet-picture", "take-table", "remove-take", "use-calibration",
    "export-calibration", "calibration", "take", "taking", "taking-in", "first-teacher",
    "backup-file", "bring-back", "delete-experiment", "bring-run-back",
}  # fmt: skip


@pytest.mark.many
@pytest.mark.parametrize("owner", ["teacher", "group"])
@pytest.mark.parametrize("method", ["GET", "POST"])
def test_every_address_lets_in_whom_it_should_and_nobody_else(world, subtests, owner, method):
    keys, browsers = world
    skipped = {"pdf", "hand-in", "report-odt", "clip-file", "clip-picture"}
    for name in sorted(set(everything.routes()) - skipped):
        address = everything.path(name, keys[owner])
        allowed = expected(name, method, owner)
        answers = {}
        for role in ROLES:
            browser = browsers[role]
            kept = browser.cookies.output()
            with taken_back():
                answers[role] = getattr(browser, method.lower())(address)
                for close in answers[role]._resource_closers:  # a file that nobody reads
                    close()
            if browser.cookies.output() != kept:  # signed in or out
                browser.cookies = cookies.SimpleCookie(kept.replace("Set-Cookie: ", ""))
        if any(answer.status_code == 405 for answer in answers.values()):
            refused = {role for role in ROLES if not is_let_in(answers[role])}
            let_in = set(ROLES) - refused
            answers_405 = {role for role in let_in if answers[role].status_code == 405}
            assert let_in == answers_405, (name, method, let_in)
            continue
        let_in = {role for role in ROLES if is_let_in(answers[role])}
        with subtests.test(name, method=method, owner=owner):
            assert let_in <= allowed, (name, let_in - allowed)
            missing = allowed - let_in
            gone = {role for role in missing if answers[role].status_code == 404}
            assert missing == gone, (name, {role: answers[role].status_code for role in missing})
            if not let_in:  # nobody finds it: then because it is not there, and not by a right
                assert name in NOT_THERE or gone == allowed, name


def test_a_desk_that_is_shown_is_seen_by_the_groups_of_its_lesson_and_not_changed(world):
    keys, browsers = world
    lesson = Task.objects.get(lesson=keys["teacher"]["lesson_id"]).lesson
    desk = everything.path("desk", keys["teacher"])
    for shown in (False, True, False):
        flows.show_desk(lesson, shown)
        for role in ("group", "other group"):
            assert is_let_in(browsers[role].get(desk)) == shown
        assert not is_let_in(browsers["group of another lesson"].get(desk))
        for name in ("report", "bench", "record", "quantities", "experiment-file", "readings"):
            assert not is_let_in(browsers["group"].get(everything.path(name, keys["teacher"])))
        for name in ("add-span", "undo", "keep-view", "change-sheet"):
            address = everything.path(name, keys["teacher"])
            assert not is_let_in(browsers["group"].post(address, {"lo": "1", "hi": "2"}))


def test_looking_in_says_whose_work_it_is_and_changes_nothing(world):
    keys, browsers = world
    page = browsers["teacher"].get(everything.path("desk", keys["group"]))
    assert "You look in on Gannet’s work" in page.text
    address = everything.path("add-span", keys["group"])
    refused = browsers["teacher"].post(
        address, {"lo": "1", "hi": "2"}, headers={"HX-Request": "true"}
    )
    assert refused.status_code == 403
    assert "only Gannet changes it" in refused.content.decode()


def test_a_group_whose_lesson_ended_is_nobody(world):
    keys, browsers = world
    flows.end(Task.objects.get(lesson=keys["teacher"]["lesson_id"]).lesson)
    for name in ("my-lesson", "desk", "report"):
        assert not is_let_in(browsers["group"].get(everything.path(name, keys["group"])))

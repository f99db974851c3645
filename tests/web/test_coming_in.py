"""Groups come in by a code, come back by a word, and are renamed, removed and exchanged."""

import re

import pytest
from django.urls import reverse
from hypothesis import given
from hypothesis import strategies as st

from galena.classroom import codes
from galena.classroom.models import Person
from galena.classroom.patience import GUESSES, Guesses
from galena.experiments.models import Experiment, Run, SeriesChunk
from galena.lessons import coming_in, flows, removing
from galena.lessons.errors import LessonError
from galena.lessons.models import AnswersTable, Copy
from tests import making
from tests.web import classes

CODE = re.compile(r"[ACDEFHJKMNPRTUVWXY][34679] [A-Z]{4}")


@pytest.fixture(autouse=True)
def no_guess_yet():
    GUESSES.forget()


@pytest.fixture
def lesson(experiment):
    return classes.begin(experiment)


def come(client, lesson, name, **more):
    return client.post(reverse("come-in"), {"code": lesson.code, "name": name} | more)


def test_codes_have_no_signs_that_look_alike():
    drawn = {codes.new_code() for _ in range(500)}
    assert all(CODE.fullmatch(code) for code in drawn)
    assert len(drawn) > 400
    assert len(set(codes.WORDS)) == len(codes.WORDS) > 100


@given(st.text(max_size=30))
def test_whatever_is_typed_for_a_code_is_read_or_none(typed):
    read = codes.read_code(typed)
    assert read == "" or len(read) == 7


@pytest.mark.parametrize("typed", ["k7 mole", "K7MOLE", " k7-mole ", "K 7 M O L E"])
def test_a_code_is_read_as_people_type_it(typed):
    assert codes.read_code(typed) == "K7 MOLE"


@given(st.text(min_size=1, max_size=20))
def test_words_of_groups_follow_from_the_seed_and_can_be_said(seed):
    word = codes.word_of(b"a key", seed)
    assert re.fullmatch("[BDFGKLMNPRTV][AEIOU][BDFGKLMNPRTV][AEIOU]", word)
    assert word == codes.word_of(b"a key", seed)


def test_a_group_comes_in_with_code_and_name_alone(client, lesson):
    page = client.get(reverse("come-in"))
    assert "No account is needed" in page.text
    answer = come(client, lesson, "  Gannet ")
    assert answer.url == reverse("my-lesson")
    group = lesson.groups.get()
    assert (group.first_name, group.email) == ("Gannet", "")
    assert not group.has_usable_password()
    assert Copy.objects.get(group=group).experiment.owner == group
    assert "How fast does it fill?" in client.get(reverse("my-lesson")).text


def test_a_double_click_makes_one_group(client, lesson):
    for _ in range(2):
        come(client, lesson, "Gannet", ticket="0123456789abcdef")
    assert lesson.groups.count() == 1


@pytest.mark.parametrize(
    ("name", "kept"),
    [("Möwe", "Möwe"), ("🐦 Tern", "🐦 Tern"), ("A" * 40, "A" * 40), ("<b>Tern</b>", "<b>Tern</b>"),
     ("Tern\u202ex", "Tern x"), ("7", "7")],
)  # fmt: skip
def test_names_are_kept_as_they_are_shown(client, lesson, name, kept):
    come(client, lesson, name)
    assert lesson.groups.get().first_name == kept
    page = client.get(reverse("my-lesson"))
    assert "<b>Tern</b>" not in page.text


@pytest.mark.parametrize("name", ["", "   ", "A" * 200, "\u200b\u202e", "\u0301"])
def test_names_that_are_none_are_refused_in_words(client, lesson, name):
    answer = come(client, lesson, name)
    assert answer.status_code == 422
    assert 'role="alert"' in answer.text
    assert not lesson.groups.exists()


@pytest.mark.parametrize("name", ["Gannet", "gannet", "GANNET "])
def test_a_name_twice_is_refused_and_says_what_to_do(client, lesson, name):
    classes.group(lesson, "Gannet")
    answer = come(client, lesson, name)
    assert "There is a group" in answer.text and "come back" in answer.text
    assert lesson.groups.count() == 1


def test_a_code_that_ended_or_is_none_lets_nobody_in(client, lesson):
    code = lesson.code
    flows.end(lesson)
    for typed in (code, "A3 MOLE", "", "nonsense"):
        answer = client.post(reverse("come-in"), {"code": typed, "name": "Gannet"})
        assert "No lesson has this code now" in answer.text
    assert not Person.objects.filter(lesson=lesson).exists()


def test_a_closed_door_lets_no_new_group_in_but_the_others_back(client, lesson):
    gannet = classes.group(lesson, "Gannet")
    flows.set_door(lesson, False)
    assert "is closed" in come(client, lesson, "Tern").text
    word = coming_in.word(gannet)
    answer = client.post(reverse("come-back"), {"code": lesson.code, "word": word.lower()})
    assert answer.url == reverse("my-lesson")


def test_a_group_comes_back_with_its_work_on_another_device(client, lesson):
    gannet = classes.group(lesson, "Gannet")
    making.run(gannet.copy.experiment, making.ramp())
    client.post(reverse("come-back"), {"code": lesson.code, "word": coming_in.word(gannet)})
    page = client.get(reverse("desk", args=[gannet.copy.experiment_id]))
    assert page.status_code == 200


def test_ten_wrong_codes_a_minute_and_no_more(client, lesson):
    for _ in range(10):
        assert come(client, lesson, "x", code="A3 BEAN").status_code == 422
    answer = come(client, lesson, "Gannet")
    assert answer.status_code == 429
    assert "Wait" in answer.text
    assert not lesson.groups.exists()


def test_guesses_are_forgotten_after_a_minute():
    now = [0.0]
    guesses = Guesses(lambda: now[0])
    for _ in range(10):
        guesses.wrong("192.168.7.30")
    assert guesses.wait("192.168.7.30") == 60.0
    assert guesses.wait("192.168.7.31") == 0.0
    now[0] = 60.0
    assert guesses.wait("192.168.7.30") == 0.0


def test_who_comes_in_rightly_many_times_waits_for_nothing(client, lesson):
    for number in range(15):
        assert come(client, lesson, f"Group {number}").status_code == 302
        client.logout()


def test_the_teacher_renames_and_exchanges_copies(as_ada, lesson):
    gannet, tern = classes.group(lesson, "Gannet"), classes.group(lesson, "Tern")
    theirs = gannet.copy.experiment
    as_ada.post(reverse("rename-group", args=[lesson.pk, gannet.pk]), {"name": "Skua"})
    gannet.refresh_from_db()
    assert gannet.first_name == "Skua"
    page = as_ada.post(
        reverse("rename-group", args=[lesson.pk, gannet.pk]), {"name": "tern"},
        headers={"HX-Request": "true"},
    )  # fmt: skip
    assert "There is a group" in page.text
    as_ada.post(reverse("exchange-copies", args=[lesson.pk, gannet.pk]), {"other": tern.pk})
    assert Copy.objects.get(group=tern).experiment == theirs
    assert Experiment.objects.get(pk=theirs.pk).owner == tern


def test_a_group_that_is_removed_leaves_nothing(as_ada, experiment, lesson):
    classes.recorded(experiment)
    lesson = classes.begin(experiment)
    gannet, tern = classes.group(lesson, "Gannet"), classes.group(lesson, "Tern")
    making.run(gannet.copy.experiment, making.ramp())
    flows.exchange_copies(gannet, tern)
    browser = classes.client_of(gannet)
    as_ada.post(reverse("remove-group", args=[lesson.pk, gannet.pk]))
    assert not Person.objects.filter(first_name="Gannet").exists()
    assert lesson.groups.get() == tern
    assert browser.get(reverse("my-lesson")).status_code == 302
    removing.remove_group(tern)
    assert list(Experiment.objects.all()) == [experiment]
    assert Run.objects.get().experiment == experiment
    assert SeriesChunk.objects.count() == 4


def test_a_lesson_ends_and_its_groups_leave_while_their_copies_stay(as_ada, lesson):
    gannet = classes.group(lesson, "Gannet")
    browser = classes.client_of(gannet)
    as_ada.post(reverse("end-lesson", args=[lesson.pk]))
    assert browser.get(reverse("my-lesson")).status_code == 302
    page = as_ada.get(reverse("lesson", args=[lesson.pk]))
    assert "The copies stay" in page.text
    copy = Copy.objects.get(group=gannet)
    assert as_ada.get(reverse("desk", args=[copy.experiment_id])).status_code == 200


def test_a_lesson_is_removed_with_all_names(as_ada, experiment):
    classes.recorded(experiment)
    lesson = classes.begin(experiment)
    for name in ("Gannet", "Tern"):
        classes.slope(classes.group(lesson, name))
    question = lesson.questions.create(
        words="slope of A", kind="line", unit="mm/s",
        details={"span": "A", "quantity": "h", "number": "slope"},
    )  # fmt: skip
    as_ada.post(reverse("answers-table", args=[lesson.pk, question.pk]))
    sure = as_ada.post(reverse("remove-lesson", args=[lesson.pk]))
    assert "Gannet, Tern" in sure.text
    assert lesson.groups.count() == 2
    as_ada.post(reverse("remove-lesson", args=[lesson.pk]), {"sure": "yes"})
    assert list(Person.objects.all()) == [experiment.owner]
    rows = AnswersTable.objects.get().frozen
    assert [row["name"] for row in rows] == ["group 1", "group 2"]
    assert rows[0]["value"] == pytest.approx(2.0, abs=0.1)


def test_a_group_cannot_be_exchanged_with_itself(lesson):
    gannet = classes.group(lesson, "Gannet")
    with pytest.raises(LessonError, match="another group"):
        flows.exchange_copies(gannet, gannet)

"""Everyone's answers: asked of all copies or typed, put together, judged, left out, as a table."""

import math

import numpy as np
import pytest
from django.urls import reverse

from galena.core.pooling import far_off, pool, pool_shared
from galena.desk.annotations import flows as annotations
from galena.desk.findings import flows as finding_flows
from galena.desk.findings.answers import answers
from galena.desk.sheets import flows as sheet_flows
from galena.desk.tables import table
from galena.experiments.models import Run
from galena.lessons import answers_table, flows, giving, summary
from galena.lessons.everyone import of_question
from galena.lessons.models import AnswersTable
from tests import making
from tests.web import classes

ASKED = {"kind": "line", "span": "A", "quantity": "h", "number": "slope", "unit": "mm/s"}


@pytest.fixture
def lesson(experiment):
    """A lesson whose groups have recorded for themselves; Skua's span holds another stretch."""
    classes.recorded(experiment)
    lesson = classes.begin(experiment, ("conditions", "quantities", "sheets"))
    for number, name in enumerate(("Gannet", "Tern", "Puffin", "Fulmar", "Skua"), start=2):
        member = classes.group(lesson, name)
        y = making.ramp(seed=number)
        if name == "Skua":
            y[120:] = y[119] + making.ramp(80, slope=0.2, seed=9) - 5
        making.run(member.copy.experiment, y, conditions=["40"])
        classes.slope(member, lo=2.0, hi=19.0 if name == "Skua" else 11.0)
    classes.group(lesson, "Eider")
    return lesson


@pytest.fixture
def question(as_ada, lesson):
    as_ada.post(reverse("ask-all", args=[lesson.pk]), ASKED)
    return lesson.questions.get()


def given(question, name):
    return next(one for one in of_question(question).given if str(one.group) == name)


def test_one_question_is_asked_of_all_copies(question):
    everyone = of_question(question)
    assert [str(one.group) for one in everyone.answered] == [
        "Gannet", "Tern", "Puffin", "Fulmar", "Skua",
    ]  # fmt: skip
    assert given(question, "Gannet").value == pytest.approx(2.0, abs=0.05)
    assert "no span A" in given(question, "Eider").trouble
    assert not everyone.shared
    assert question.words == "slope of A"


def test_answers_are_put_together_as_the_core_does(question):
    everyone = of_question(question)
    values, us = zip(*((one.value, one.u) for one in everyone.answered), strict=True)
    assert everyone.pooled.weighted_mean == pool(values, us).weighted_mean


def test_the_odd_one_is_pointed_at_with_a_reason(as_ada, lesson, question):
    odd = summary.odd_one(of_question(question))
    assert str(odd.given.group) == "Skua"
    assert "something else happens within its span" in odd.why
    page = as_ada.get(reverse("lesson", args=[lesson.pk]))
    assert "Second look" in page.text and "far from the others" in page.text


def test_a_group_is_left_out_with_a_reason_and_still_shown(as_ada, lesson, question):
    skua = lesson.groups.get(first_name="Skua")
    address = reverse("leave-out", args=[lesson.pk, question.pk, skua.pk])
    refused = as_ada.post(address, {"reason": " "}, headers={"HX-Request": "true"})
    assert "Say why" in refused.text
    as_ada.post(address, {"reason": "the drain opened"})
    everyone = of_question(question)
    assert [str(one.group) for one in everyone.counted] == ["Gannet", "Tern", "Puffin", "Fulmar"]
    assert everyone.all_pooled.count == 5
    page = as_ada.get(reverse("lesson", args=[lesson.pk]))
    assert "Skua is left out: the drain opened" in page.text
    assert "mean of all 5" in page.text
    as_ada.post(address, {"again": "yes"})
    assert len(of_question(question).counted) == 5


def test_the_numbers_on_the_page_are_those_of_the_core(as_ada, lesson, question):
    page = as_ada.get(reverse("lesson", args=[lesson.pk])).text
    for line in summary.lines(of_question(question)):
        assert line.text in page
    assert "weighted mean of 5 groups" in page


def test_a_question_of_another_unit_is_converted(as_ada, lesson):
    as_ada.post(reverse("ask-all", args=[lesson.pk]), ASKED | {"unit": "m/s"})
    question = lesson.questions.get()
    assert given(question, "Gannet").value == pytest.approx(0.002, abs=1e-4)
    assert given(question, "Gannet").u < 1e-4


def test_a_finding_is_asked_for_by_its_symbol(as_ada, lesson):
    gannet = lesson.groups.get(first_name="Gannet")
    copy = gannet.copy.experiment
    sheet = copy.sheets.first()
    line = sheet.findings.get()
    finding_flows.build_formula(sheet, "20*v", "Q", {"v": (line.pk, "slope")})
    as_ada.post(reverse("ask-all", args=[lesson.pk]), {"kind": "named", "symbol": "Q"})
    question = lesson.questions.get()
    assert given(question, "Gannet").value == pytest.approx(40, abs=1)
    assert given(question, "Tern").trouble == "no finding is called Q"


def test_spans_that_nobody_has_asked_are_asked_of_the_newest_run(as_ada, lesson, question):
    eider = lesson.groups.get(first_name="Eider")
    making.run(eider.copy.experiment, making.ramp(slope=3.0))
    annotations.add_span(sheet_flows.first_sheet(eider.copy.experiment), 2.0, 11.0)
    assert given(question, "Eider").value == pytest.approx(3.0, abs=0.05)


class TestShared:
    """Groups that read the same recording have the same errors."""

    @pytest.fixture
    def shared(self, as_ada, experiment):
        run = classes.recorded(experiment)
        lesson = classes.begin(experiment, ("conditions", "quantities", "sheets"))
        members = [classes.group(lesson, name) for name in ("Gannet", "Tern", "Puffin")]
        giving.give(lesson, run)
        for k, member in enumerate(members):
            classes.slope(member, lo=2.0 + 0.1 * k, hi=15.0 + 0.2 * k)
        as_ada.post(reverse("ask-all", args=[lesson.pk]), ASKED)
        return lesson

    def test_their_mean_is_no_surer_than_one_of_them_and_it_is_said(self, as_ada, shared):
        everyone = of_question(shared.questions.get())
        us = [one.u for one in everyone.answered]
        assert everyone.shared
        assert everyone.pooled.u_mean == pytest.approx(float(np.median(us)))
        assert everyone.pooled.u_weighted_mean == pytest.approx(float(np.median(us)))
        page = as_ada.get(reverse("lesson", args=[shared.pk])).text
        assert "no surer than one of them" in page

    def test_an_own_run_beside_it_counts_as_another(self, shared):
        member = classes.group(shared, "Dunlin")
        own = making.run(member.copy.experiment, making.ramp(seed=77))
        classes.slope(member, run=own.number)
        pooled = of_question(shared.questions.get()).pooled
        assert pooled.count == 4
        assert pooled.u_weighted_mean < min(
            one.u for one in of_question(shared.questions.get()).answered
        )


class TestTyped:
    @pytest.fixture
    def asked(self, as_ada, lesson):
        as_ada.post(reverse("ask-all", args=[lesson.pk]),
                    {"kind": "typed", "words": "depth of the weir", "unit": "cm"})  # fmt: skip
        return lesson.questions.get()

    def type(self, lesson, name, text):
        browser = classes.client_of(lesson.groups.get(first_name=name))
        return browser.post(
            reverse("type-answer"), {"question": lesson.questions.get().pk, "answer": text},
            headers={"HX-Request": "true"},
        )  # fmt: skip

    @pytest.mark.parametrize(
        ("text", "value", "u"),
        [("12.4", 12.4, math.nan), ("12,4 ± 0,2", 12.4, 0.2), ("124 ± 2 mm", 12.4, 0.2),
         ("-3", -3.0, math.nan)],
    )  # fmt: skip
    def test_a_number_is_read_as_people_type_it(self, lesson, asked, text, value, u):
        assert self.type(lesson, "Gannet", text).status_code == 200
        kept = given(asked, "Gannet")
        assert kept.value == pytest.approx(value)
        assert kept.u == pytest.approx(u, nan_ok=True)

    @pytest.mark.parametrize("text", ["", "deep", "12 kg", "1e999", "12 ± 1 ± 1", "9" * 200])
    def test_what_is_no_number_is_answered_and_stays_typed(self, lesson, asked, text):
        self.type(lesson, "Gannet", "11.0")
        answer = self.type(lesson, "Gannet", text)
        assert answer.status_code == 422
        assert 'role="alert"' in answer.text
        assert given(asked, "Gannet").value == 11.0

    def test_a_second_number_takes_the_place_of_the_first(self, lesson, asked):
        self.type(lesson, "Gannet", "11.0")
        self.type(lesson, "Gannet", "12.0")
        assert [one.value for one in of_question(asked).answered] == [12.0]

    def test_without_uncertainties_nothing_is_said_of_chance(self, lesson, asked):
        for name, text in (("Gannet", "11.0"), ("Tern", "12.0 ± 0.1")):
            self.type(lesson, name, text)
        assert "Not all groups state" in summary.judgement(of_question(asked))
        assert summary.lines(of_question(asked))[0].words == "mean of 2 groups"


class TestTable:
    @pytest.fixture
    def run(self, as_ada, lesson, question):
        as_ada.post(reverse("answers-table", args=[lesson.pk, question.pk]))
        return Run.objects.get(plan="answers")

    def values(self, run):
        return table.table_of(run).columns[-1].values

    def test_it_stands_at_the_teachers_desk_and_follows_the_groups(self, run, lesson, question):
        before = self.values(run)
        assert len(before) == 5
        eider = lesson.groups.get(first_name="Eider")
        own = making.run(eider.copy.experiment, making.ramp(seed=42))
        classes.slope(eider, run=own.number)
        assert len(self.values(run)) == 6
        answers_table.freeze(run)
        eider.copy.experiment.runs.update(removed_at=own.started_at)
        assert len(self.values(run)) == 6

    def test_it_is_graphed_and_fitted_like_any_run(self, run, experiment):
        place, value = (experiment.quantities.get(pk=key)
                        for key in (AnswersTable.objects.get().columns[name]
                                    for name in ("place", "value")))  # fmt: skip
        sheet = sheet_flows.add_sheet(experiment, place, [value], "all groups")
        span = annotations.add_span(sheet, 0.5, 4.5)
        (mean,) = finding_flows.ask(span, "mean", value, [run])
        assert answers([mean])[0].estimates[0].value == pytest.approx(2.0, abs=0.05)

    def test_who_is_left_out_is_set_aside_in_it(self, run, lesson, question):
        flows.leave_out(question, lesson.groups.get(first_name="Skua"), "another stretch")
        assert table.table_of(run).aside.tolist() == [False] * 4 + [True]

    def test_it_is_given_to_all_and_follows_there_too(self, as_ada, lesson, question):
        as_ada.post(reverse("answers-table", args=[lesson.pk, question.pk]), {"give": "yes"})
        tern = lesson.groups.get(first_name="Tern")
        run = tern.copy.experiment.runs.get(plan="answers")
        assert len(self.values(run)) == 5
        flows.leave_out(question, tern, "late")
        assert table.table_of(run).aside.tolist() == [False, True, False, False, False]

    def test_taking_the_question_back_keeps_what_the_tables_show(
        self, as_ada, run, lesson, question
    ):
        before = list(self.values(run))
        as_ada.post(reverse("drop-question", args=[lesson.pk, question.pk]))
        assert not lesson.questions.exists()
        assert list(self.values(run)) == before


def test_names_are_hidden_on_the_projector(as_ada, lesson, question):
    as_ada.post(reverse("hide-names", args=[lesson.pk]), {"on": "yes"})
    page = as_ada.get(reverse("lesson", args=[lesson.pk])).text
    column = page[page.index('id="answers"') :]
    assert not any(name in column for name in ("Gannet", "Skua"))
    answer = summary.lines(of_question(question))[0].text
    assert (
        page.count(answer) == 1 and "far from the others" not in page.partition('id="answers"')[0]
    )
    assert f"{given(question, 'Skua').value:.2f}" not in page.partition('id="answers"')[0]


def test_groups_see_all_answers_once_they_are_shown(as_ada, lesson, question):
    browser = classes.client_of(lesson.groups.get(first_name="Tern"))
    assert "What the groups found" not in browser.get(reverse("my-lesson")).text
    as_ada.post(reverse("show-answers", args=[lesson.pk, question.pk]), {"on": "yes"})
    page = browser.get(reverse("my-lesson")).text
    assert "What the groups found" in page and "yours is in ochre" in page
    assert "Skua" not in page


@pytest.mark.parametrize(
    "typed",
    [{"kind": "line", "span": "²"}, {"kind": "nonsense", "span": "A"}, {"kind": "typed"},
     {"kind": "named", "symbol": "2x"}, {"kind": "line", "span": "A", "unit": "parsnip"},
     {"kind": "line", "span": "A", "quantity": "zz"}],
)  # fmt: skip
def test_questions_that_are_none_are_refused_in_words(as_ada, lesson, typed):
    answer = as_ada.post(reverse("ask-all", args=[lesson.pk]), typed,
                         headers={"HX-Request": "true"})  # fmt: skip
    assert answer.status_code == 422
    assert 'class="notice" role="alert"' in answer.text
    assert not lesson.questions.exists()


def test_results_of_one_recording_count_as_one():
    values, us = [2.0, 2.1, 1.9, 3.0], [0.1, 0.1, 0.1, 0.1]
    shared = pool_shared(values, us, ["a", "a", "a", "b"])
    expected = pool([2.0, 3.0], [0.1, 0.1])
    assert shared.weighted_mean == pytest.approx(expected.weighted_mean)
    assert shared.u_weighted_mean == pytest.approx(expected.u_weighted_mean)
    assert shared.count == 4 and shared.mean == pytest.approx(2.25)
    alone = pool_shared(values, us, [1, 2, 3, 4])
    assert alone == pool(values, us)
    one = pool_shared([2.0, 2.2], [0.1, 0.3], ["a", "a"])
    assert (one.weighted_mean, one.u_weighted_mean) == (pytest.approx(2.1), pytest.approx(0.2))


def test_a_value_far_off_is_pointed_at_however_unsure_it_is():
    assert far_off([2.0, 2.01, 1.99, 2.005, 3.0], [0.01, 0.01, 0.01, 0.01, 2.0])[0] == 4
    assert far_off([2.0, 2.01, 1.99, 2.005, 2.02], [0.01] * 5) is None
    assert far_off([2.0, 2.0, 2.0, 2.0, 2.001], [0.01] * 5) is None
    assert far_off([1.0, 1.0, 9.0], [0.1] * 3) is None

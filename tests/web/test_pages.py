import re

import pytest
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from galena.desk.annotations import flows
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.models import Experiment
from tests import making
from tests.addresses import address

PAGES = ["bench", "record", "desk", "report"]
PARTS = [
    "strips",
    "rigs",
    "panel",
    "run-list",
    "plan-size",
    "record-status",
    "ledger",
    "rail",
    "picture",
]
CHANGES = [
    "look-again",
    "connect",
    "match",
    "zero-all",
    "undo-zeros",
    "start",
    "stop",
    "add-span",
    "add-marker",
    "add-sheet",
    "add-graph",
    "change-sheet",
    "keep-view",
    "undo",
    "redo",
]


@pytest.mark.parametrize("name", ["experiments", "new-experiment"])
def test_nobody_sees_anything_without_signing_in(client, db, name):
    answer = client.get(reverse(name))
    assert answer.status_code == 302
    assert answer.url.startswith("/sign-in")


@pytest.mark.parametrize("name", PAGES + PARTS)
def test_an_experiment_is_open_to_its_owner_only(experiment, as_ada, tern, name):
    url = address(name, experiment.pk)
    assert as_ada.get(url).status_code == 200
    other = Client()
    other.force_login(tern)
    assert other.get(url).status_code == 404


@pytest.mark.parametrize("name", CHANGES)
def test_changes_are_refused_to_others_and_without_a_token(experiment, ada, tern, name):
    url = address(name, experiment.pk)
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(ada)
    answer = strict.post(url)
    assert answer.status_code == 403
    assert b"Nothing was changed" in answer.content
    other = Client()
    other.force_login(tern)
    assert other.post(url).status_code == 404
    assert other.get(url).status_code == 405


def test_staff_see_all(experiment, tern):
    tern.is_staff = True
    tern.save()
    client = Client()
    client.force_login(tern)
    assert client.get(reverse("desk", args=[experiment.pk])).status_code == 200


def test_sign_in_with_a_password(client, ada):
    answer = client.post("/sign-in", {"username": "ada", "password": "wrong"})
    assert "do not belong together" in answer.text
    answer = client.post("/sign-in", {"username": "ada", "password": "skerry-lamp"})
    assert answer.url == "/"


def test_one_click_sign_in_is_there_in_demo_mode_only(client, ada, settings):
    assert "Come in as Ada" not in client.get("/sign-in").text
    assert client.post("/sign-in/demo").status_code == 404
    settings.GALENA_DEMO = True
    assert "Come in as Ada" in client.get("/sign-in").text
    assert client.post("/sign-in/demo").url == "/"


def test_a_page_allows_only_what_ships_with_it(as_ada, experiment):
    answer = as_ada.get(reverse("desk", args=[experiment.pk]))
    assert "default-src 'self'" in answer.headers["Content-Security-Policy"]
    inline = re.findall(
        r"<script(?![^>]*(?:src=|application/json))[^>]*>|\son\w+=|\sstyle=", answer.text
    )
    assert inline == []


def test_an_unknown_address_has_a_page_that_says_so(as_ada):
    answer = as_ada.get("/experiments/9999/desk")
    assert answer.status_code == 404
    assert "There is nothing here" in answer.text


def test_a_new_experiment_has_its_conditions(as_ada):
    fields = {"title": "Tide at night", "conditions": "pump (mL/s), drain, "}
    answer = as_ada.post(reverse("new-experiment"), fields)
    made = Experiment.objects.get(title="Tide at night")
    assert answer.url == reverse("bench", args=[made.pk])
    assert [(one.name, one.unit) for one in made.conditions.all()] == [
        ("pump", "mL/s"),
        ("drain", ""),
    ]


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"title": "  "}, "Give the experiment a title"),
        ({"title": "x" * 201}, "Keep the title to 200 characters"),
        ({"title": "Tide", "conditions": "pump, pump"}, "Two conditions have the same name"),
    ],
)
def test_a_new_experiment_that_cannot_be_is_explained(as_ada, fields, words):
    answer = as_ada.post(reverse("new-experiment"), fields)
    assert answer.status_code == 422
    assert words in answer.text
    assert Experiment.objects.count() == 0


def test_the_list_shows_experiments_with_pictures(as_ada, experiment):
    making.run(experiment, making.ramp())
    answer = as_ada.get("/")
    assert "Tide tank" in answer.text
    assert "1 run ·" in answer.text
    assert reverse("picture", args=[experiment.pk]) in answer.text


def test_an_empty_list_says_what_to_do(as_ada):
    assert "There is no experiment yet" in as_ada.get("/").text


def test_odd_names_are_shown_as_they_are_and_do_nothing(as_ada, ada, experiment):
    experiment.title = '<script>alert("x")</script> קו 🌊'
    experiment.save()
    making.run(experiment, making.ramp(), note="<b>bold</b>")
    for name in PAGES:
        text = as_ada.get(reverse(name, args=[experiment.pk])).text
        assert "<script>alert" not in text
        assert "<b>bold</b>" not in text
        assert "&lt;script&gt;alert" in text


def test_a_run_is_hidden_removed_and_brought_back(as_ada, experiment):
    making.run(experiment, making.ramp())
    at = [experiment.pk, 1]
    assert "Show run 1" in as_ada.post(reverse("show-run", args=at)).text
    assert "Hide run 1" in as_ada.post(reverse("show-run", args=at)).text
    answer = as_ada.post(reverse("remove-run", args=at))
    assert "It was removed." in answer.text
    assert "rail-changed" in answer.headers["HX-Trigger"]
    assert "Run 1 was removed." in as_ada.get(reverse("rail", args=at[:1])).text
    assert as_ada.post(reverse("remove-run", args=at)).status_code == 404
    assert (
        "Run 1 was removed in the meantime, perhaps in another window."
        in as_ada.post(reverse("show-run", args=at)).text
    )
    assert "Hide run 1" in as_ada.post(reverse("restore-run", args=at)).text


def test_the_number_of_a_removed_run_is_not_used_again(as_ada, experiment):
    making.run(experiment, making.ramp())
    as_ada.post(reverse("remove-run", args=[experiment.pk, 1]))
    assert making.run(experiment, making.ramp()).number == 2


def test_pages_ask_no_query_in_a_loop(as_ada, experiment):
    counts = []
    for _ in range(2):
        for number in range(3):
            making.run(experiment, making.ramp(seed=number), conditions=["40", "closed"])
        sheet = sheet_flows.first_sheet(experiment)
        finding_flows.ask(
            flows.add_span(sheet, 1, 5), "line", sheet.quantity, experiment.runs.all()
        )
        for name in PAGES:  # once for what is kept in memory from then on
            as_ada.get(reverse(name, args=[experiment.pk]))
        with CaptureQueriesContext(connection) as asked:
            for name in ["", *PAGES, "ledger", "desk-data"]:
                as_ada.get(address(name, experiment.pk) if name else "/")
        counts.append(len(asked))
    assert counts[0] == counts[1]

"""Doors: what a stranger, a neighbour or a broken line may not do."""

import socket
import threading
from pathlib import Path
from types import SimpleNamespace

import httpx
import pytest
from django.conf import settings as django_settings
from django.contrib.sessions.models import Session
from django.test import Client
from django.urls import reverse

from galena.bench.live import hub, microphone_views
from galena.bench.live.bench import BENCH
from galena.bench.live.in_use import InUseError, Use, refuse
from galena.classroom.patience import FREE_BY_NAME, PATIENCE, Patience
from galena.config import door
from galena.core.errors import TableError
from galena.desk.annotations import flows
from galena.desk.findings import flows as finding_flows
from galena.desk.findings.answers import Answers
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import flows as experiment_flows
from galena.experiments import table_flows
from galena.instruments import microphone
from galena.reports import marked_up
from galena.shell.pdf import make_pdf
from galena.shell.worker import WorkerError
from tests import making
from tests.waiting import until


@pytest.fixture
def cookie(ada):
    client = Client()
    client.force_login(ada)
    return client.cookies["sessionid"].value


def opened(room, experiment, cookie, count):
    """Open live streams as a browser does, and give the sockets."""
    host, port = room.url.removeprefix("http://").split(":")
    address = reverse("events", args=[experiment.pk]) + "?topics=strips,readings,runs"
    asked = f"GET {address} HTTP/1.1\r\nHost: {host}\r\nCookie: sessionid={cookie}\r\n\r\n"
    streams = [socket.create_connection((host, int(port))) for _ in range(count)]
    for stream in streams:
        stream.sendall(asked.encode())
    for stream in streams:
        assert stream.recv(1000).startswith(b"HTTP/1.1 200")
    return streams


def read_to_the_end(stream):
    """Read a stream until it says that its session has ended."""
    events = b""
    while b"event: signed-out" not in events:
        part = stream.recv(100_000)
        assert part, events[-200:]
        events += part


def databases():
    """How many descriptors of databases this process holds."""
    count = 0
    for one in Path("/proc/self/fd").iterdir():
        try:
            count += "sqlite3" in str(one.readlink())
        except OSError:
            continue
    return count


def test_leaving_pages_leaves_nothing_of_their_streams(room, experiment, cookie):
    threads, files = threading.active_count(), databases()
    for _ in range(25):
        for stream in opened(room, experiment, cookie, 20):
            stream.close()
    until(lambda: BENCH.hub.count == 0, "the end of 500 streams")
    until(lambda: threading.active_count() <= threads + 25, "the end of their threads")
    until(lambda: databases() <= files + 30, "the end of their connections")


def test_a_live_feed_ends_with_the_session(room, experiment, ada):
    client = Client()
    client.force_login(ada)
    (stream,) = opened(room, experiment, client.cookies["sessionid"].value, 1)
    (other,) = opened(room, experiment, _signed_in(ada), 1)
    until(lambda: BENCH.hub.count == 2, "both streams")
    client.post(reverse("sign-out"))
    read_to_the_end(stream)
    until(lambda: BENCH.hub.count == 1, "the end of the stream")
    stream.close()
    other.close()


def test_a_live_feed_ends_when_the_session_has_expired(room, experiment, ada, monkeypatch):
    monkeypatch.setattr(hub, "ASK_AGAIN", 0.2)
    monkeypatch.setattr(hub, "KEEP_ALIVE", 0.1)
    (stream,) = opened(room, experiment, _signed_in(ada), 1)
    until(lambda: BENCH.hub.count == 1, "the stream")
    Session.objects.all().delete()
    read_to_the_end(stream)
    until(lambda: BENCH.hub.count == 0, "the end of the stream")
    stream.close()


def _signed_in(person):
    client = Client()
    client.force_login(person)
    return client.cookies["sessionid"].value


WITH = {
    "experiments/1/report": 2_000_000,
    "sign-in": 16_000,
    "experiments/1/bench/zero-all": 256_000,
}


@pytest.mark.parametrize("path", WITH)
def test_a_body_larger_than_its_address_takes_is_refused_before_it_is_kept(room, path):
    most = WITH[path]
    assert door.limit_of("/" + path) == most
    with httpx.Client(base_url=room.url, timeout=180) as client:
        assert client.post("/" + path, content=b"x" * (most + 1)).status_code == 413
        in_parts = client.post("/" + path, content=(b"x" * 10_000 for _ in range(most // 5000)))
        assert in_parts.status_code == 413
        assert client.post("/" + path, content=b"x=1").status_code in (200, 302, 403)


def test_a_body_that_never_comes_is_given_up(room, monkeypatch):
    monkeypatch.setattr(door, "PATIENCE", 0.2)
    host, port = room.url.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port))) as line:
        line.sendall(b"POST /sign-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 50\r\n\r\nx=")
        assert line.recv(1000).startswith(b"HTTP/1.1 408")


def test_wrong_passwords_wait_longer_and_longer_by_name_and_by_address():
    now = SimpleNamespace(t=0.0)
    patience = Patience(lambda: now.t)
    waits = []
    for _ in range(FREE_BY_NAME + 5):
        patience.failed("ada", "10.0.0.7")
        waits.append(patience.wait("Ada ", "10.0.0.8"))
    assert waits == [0, 0, 0, 0, 2, 4, 8, 16, 32]
    assert patience.wait("tern", "10.0.0.7") == 0  # a class sits behind one address
    for n in range(30):
        patience.failed(f"pupil {n}", "10.0.0.7")
    assert patience.wait("tern", "10.0.0.7") > 100
    assert patience.wait("tern", "10.0.0.8") == 0
    patience.succeeded("ada", "10.0.0.8")
    assert patience.wait("ada", "10.0.0.8") == 0
    now.t = 4000.0
    patience.failed("pupil 1", "10.0.0.7")
    assert patience.wait("tern", "10.0.0.7") == 0


def test_signing_in_says_how_long_to_wait(client, ada):
    PATIENCE.forget()
    address, wrong = reverse("sign-in"), {"username": "ada", "password": "guess"}
    for _ in range(FREE_BY_NAME + 1):
        assert client.post(address, wrong).status_code == 200
    right = {"username": "ada", "password": "skerry-lamp"}
    page = client.post(address, right)
    assert page.status_code == 429 and "Too many wrong passwords" in page.text
    assert int(page["Retry-After"]) <= 2
    PATIENCE.forget()
    assert client.post(address, right).status_code == 302


def test_pages_of_signed_in_people_are_kept_nowhere(as_ada, experiment):
    for name in ("bench", "record", "desk", "report", "quantities"):
        assert as_ada.get(reverse(name, args=[experiment.pk]))["Cache-Control"] == "no-store"
    assert as_ada.get(reverse("experiments"))["Cache-Control"] == "no-store"


def test_only_who_runs_the_server_reads_its_folder():
    assert django_settings.DATA_DIR.stat().st_mode & 0o077 == 0


def test_whoever_records_holds_the_instruments(room, experiment, as_ada, tern):
    own = experiment_flows.create(tern, "Another tank", [])
    as_tern = Client()
    as_tern.force_login(tern)
    chosen = [one.pk for one in BENCH.live_channels()]
    run = as_ada.post(
        reverse("start", args=[experiment.pk]),
        {"plan": "steady", "rate": "10", "endless": "on", "channel": chosen},
    )
    assert run.status_code == 200, run.text
    (channel, _), pk = BENCH.live_channels(), own.pk
    acts = [
        ("plug", {"key": "tide_tank"}, {"in": "no"}),
        ("set-handle", {"key": "tide_tank"}, {"handle": "pump", "value": "40"}),
        ("set-pace", {"key": "tide_tank"}, {"pace": "1"}),
        ("zero", {"channel_id": channel.pk}, {}), ("undo-zero", {"channel_id": channel.pk}, {}),
        ("reverse", {"channel_id": channel.pk}, {}), ("zero-all", {}, {}),
        ("name-instrument", {"instrument_id": channel.instrument_id}, {"name": "mine"}),
        ("use-calibration", {"channel_id": channel.pk}, {"calibration": ""}),
    ]  # fmt: skip
    for name, keys, fields in acts:
        page = as_tern.post(reverse(name, kwargs={"experiment_id": pk} | keys), fields)
        assert "Ada records run 1 with it now" in page.text.replace("&#x27;", "'"), name
    channel.instrument.refresh_from_db()
    assert channel.instrument.nickname == ""
    page = as_ada.post(reverse("set-handle", args=[experiment.pk, "tide_tank"]),
                       {"handle": "pump", "value": "40"})  # fmt: skip
    assert page.status_code == 204
    as_ada.post(reverse("stop", args=[experiment.pk]))
    page = as_tern.post(reverse("zero", args=[pk, channel.pk]))
    assert "records" not in page.text


def test_a_use_is_of_its_instruments_and_its_person():
    first, second = object(), object()
    uses = [Use((first,), 1, "Ada", "run 3")]
    refuse(uses, [second], 2)
    refuse(uses, [first], 1)
    with pytest.raises(InUseError, match="Ada records run 3"):
        refuse(uses, [second, first], 2)


@pytest.mark.parametrize(
    ("handle", "value"),
    [("pump\nRIG:QUIT", "1"), ("lever", "1"), ("", "1"), ("pump", "nan"), ("pump", "1e400")],
)
def test_a_rig_is_told_nothing_but_its_handles_and_numbers(room, as_ada, experiment, handle, value):
    before = BENCH.room.plugged["tide_tank"].state
    address = reverse("set-handle", args=[experiment.pk, "tide_tank"])
    page = as_ada.post(address, {"handle": handle, "value": value})
    assert page.status_code == 200
    assert "no such handle" in page.text or "is not a number" in page.text
    assert BENCH.room.plugged["tide_tank"].state["pump"] == before["pump"]


def test_microphones_are_few_and_nobody_takes_over_that_of_another(
    room, as_ada, experiment, tern, monkeypatch
):
    microphone_views.forget()
    monkeypatch.setattr(microphone, "QUIET_AFTER", 600.0)
    own = experiment_flows.create(tern, "Another room", [])
    as_tern = Client()
    as_tern.force_login(tern)

    def hear(client, experiment, serial):
        query = f"serial={serial:08x}&listening=0badf00d&rate=48000&first=0"
        address = reverse("hear", args=[experiment.pk])
        return client.post(f"{address}?{query}", bytes(100), "application/octet-stream")

    threads = threading.active_count()
    answers = [hear(as_ada, experiment, serial).status_code for serial in range(48)]
    assert answers.count(204) == microphone_views.MOST_OF_A_PERSON
    assert threading.active_count() <= threads + microphone_views.MOST_OF_A_PERSON + 1
    assert hear(as_tern, own, 0).status_code == 409
    assert "somebody else" in hear(as_tern, own, 0).text
    for one in microphone_views._heard.values():
        one.microphone._arrived -= 1000  # their pages were closed
    assert hear(as_tern, own, 99).status_code == 204
    until(lambda: threading.active_count() <= threads + 3, "the end of what is not heard")


def test_tables_are_bounded_on_all_sides(as_ada, experiment, ada):
    run = table_flows.new_table(experiment, ada)
    column = run.typed_columns.first()
    address = reverse("change-table", args=[experiment.pk, run.number])
    for fields in (
        {"act": "fill", "column": column.quantity_id, "start": "1e299", "step": "1", "count": "9"},
        {"act": "fill", "column": column.quantity_id, "start": "1", "step": "1", "count": "-3"},
        {"act": "fill", "column": column.quantity_id, "start": "1", "step": "1", "count": "20001"},
        {"act": "cell", "column": column.quantity_id, "row": "20000", "text": "1"},
        {"act": "insert", "row": "-1"},
    ):
        assert as_ada.post(address, fields).status_code == 422, fields
    table_flows.fill(column, 0, "0", "1", 20_000, ada)
    with pytest.raises(TableError, match="at most"):
        table_flows.insert_row(run, 0, ada)


def test_searching_asks_once_for_each_of_eight_words(
    as_ada, experiment, django_assert_max_num_queries
):
    for number in range(30):
        making.run(experiment, making.ramp(20), note=f"calm sea {number}")
    words = " ".join(["sea"] * 7 + ["tide", "nowhere"])
    with django_assert_max_num_queries(12):
        page = as_ada.get(reverse("experiments"), {"words": words})
    assert "Tide tank" in page.text
    assert "Tide tank" not in as_ada.get(reverse("experiments"), {"words": "sea nowhere"}).text


def test_tables_in_a_report_are_bounded():
    wide = "|" + "a|" * 60 + "\n|" + "-|" * 60 + "\n"
    with pytest.raises(WorkerError, match="at most 40 columns"):
        marked_up.marked(wide)
    with pytest.raises(WorkerError, match="cells"):
        marked_up.marked("| a | b |\n|-|-|\n" + "| 1 | 2 |\n" * 9000)
    assert "<td>1</td>" in marked_up.marked("| a | b |\n|-|-|\n| 1 | 2 |\n").html


@pytest.mark.parametrize("address", [
    "file:///etc/%70asswd", "shell/%2e%2e/%2e%2e/%2e%2e/pyproject.toml", "../../pyproject.toml",
    "file://elsewhere/shell/static/x.png", "http://127.0.0.1/x.png",
])  # fmt: skip
def test_a_pdf_takes_in_nothing_but_what_ships(address, caplog):
    made = make_pdf(f'<p>x</p><img src="{address}" alt="none">')
    assert made.startswith(b"%PDF")
    assert "is not part of Galena" in caplog.text


def test_a_fit_that_takes_too_long_says_so(experiment, monkeypatch):
    run = making.run(experiment, making.ramp(2000))
    span = flows.add_span(sheet_flows.first_sheet(experiment), 0.0, 200.0)
    monkeypatch.setattr("galena.desk.findings.answers.PATIENCE", -1.0)
    details = {"formula": "a*sin(b*x)+c*exp(-d*x)"}
    (one,) = finding_flows.ask(span, "model", span.sheet.quantity, [run], details)
    assert "took too long: mark off less" in Answers([one]).of(one).trouble


def test_a_report_whose_text_takes_too_long_shows_why_and_keeps_the_text(
    as_ada, experiment, monkeypatch
):
    def hangs(*_, **__):
        raise WorkerError("This took too long and was given up.")

    monkeypatch.setattr(marked_up.WORKERS, "do", hangs)
    address, text = reverse("report", args=[experiment.pk]), "word " * 2000
    as_ada.get(address)
    fields = {"title": "Tides", "text": text, "version": "1"}
    answer = as_ada.post(reverse("write-report", args=[experiment.pk]), fields).json()
    assert "Your text is kept as it is" in answer["page"]
    page = as_ada.get(address)
    assert page.status_code == 200 and "Your text is kept as it is" in page.text
    assert text.strip() in page.text

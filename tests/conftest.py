"""What tests of pages and of the recorder share."""

import threading
from types import SimpleNamespace

import pytest
from hypothesis import settings as hypothesis_settings

from galena.bench.live.bench import BENCH
from galena.classroom.models import Person
from galena.classroom.patience import PATIENCE
from galena.config import serving
from galena.exchange import working
from galena.experiments import flows
from galena.experiments.data.cache import forget
from galena.instruments.rigs.process import RigProcess
from tests.pages import PageClient
from tests.waiting import until

# How long an example takes depends on what else this machine does: it decides no test.
hypothesis_settings.register_profile("galena", deadline=None)
hypothesis_settings.register_profile("quick", deadline=None, max_examples=10)  # `make check`
hypothesis_settings.load_profile("galena")


# The files of tests that take longest: they begin first, so that none is still at it when all
# others are through.
LONGEST = ("test_rights", "test_every_state", "test_junk", "test_chaos", "test_in_a_browser",
           "test_demo", "test_class", "test_commands", "test_keyboard_walk")  # fmt: skip
WAITING = {"room", "rig", "groups", "gauge", "link"}  # fixtures with instruments, which take time


def pytest_collection_modifyitems(items):
    """Mark the tests that wait for instruments, so that `make check` can leave them out, and have
    long files begin first."""
    items.sort(key=lambda item: item.path.stem not in LONGEST)
    for item in items:
        if WAITING & set(item.fixturenames):
            item.add_marker("slow")


@pytest.fixture(autouse=True)
def nothing_remembered():
    """Rows of one test may have the keys of another's: forget what is kept in memory by key."""
    forget()
    PATIENCE.forget()


@pytest.fixture(autouse=True)
def patient(monkeypatch):
    """Wait for files that are made and read: how fast this machine is decides no test."""
    monkeypatch.setattr(working, "AT_ONCE", 120.0)


@pytest.fixture
def client():
    return PageClient()


@pytest.fixture
def ada(db):
    return Person.objects.create_user("ada", password="skerry-lamp", first_name="Ada")


@pytest.fixture
def tern(db):
    return Person.objects.create_user("tern", password="skerry-lamp", first_name="Tern")


@pytest.fixture
def experiment(ada):
    return flows.create(ada, "Tide tank", [("pump", "mL/s"), ("drain", "")])


@pytest.fixture
def as_ada(client, ada):
    client.force_login(ada)
    return client


@pytest.fixture
def rig(request):
    """A tide tank; None for a module that says WITHOUT_RIG, where none is looked at."""
    if getattr(request.module, "WITHOUT_RIG", False):
        yield None
        return
    with RigProcess("tide_tank", seed=3) as process:
        yield process


@pytest.fixture
def room(transactional_db, settings, rig, ada):
    """A server with the rig plugged in, as the demo runs it."""
    settings.GALENA_DEMO = True
    settings.GALENA_STAND_INS = rig.addresses if rig else []
    server = serving.server()
    listening = serving.listen("127.0.0.1", 0)
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]})
    thread.start()
    until(lambda: server.started, "the server")
    until(lambda: rig is None or len(BENCH.live_channels()) == 2, "both instruments")
    yield SimpleNamespace(url=f"http://127.0.0.1:{listening.getsockname()[1]}", rig=rig)
    server.should_exit = True
    thread.join(timeout=180)
    assert not thread.is_alive()

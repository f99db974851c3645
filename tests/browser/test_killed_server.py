import os
import re
import signal
import subprocess
import sys

import httpx
import pytest
from playwright.sync_api import expect

from galena.instruments.rigs.process import RigProcess
from tests.waiting import until

RATE = 200


class Server:
    """A server in a process of its own, that can be killed."""

    def __init__(self, folder, rig):
        self.environment = os.environ | {
            "GALENA_DATA": str(folder),
            "GALENA_DEMO": "1",
            "GALENA_STAND_INS": " ".join(rig.addresses),
            "DJANGO_SETTINGS_MODULE": "galena.config.settings",
        }

    def manage(self, *words):
        command = [sys.executable, "-m", "galena", "manage", *words]
        subprocess.run(command, env=self.environment, check=True, capture_output=True)

    def start(self, port=0):
        self.process = subprocess.Popen(
            [sys.executable, "-m", "galena", "serve", "--port", str(port)],
            env=self.environment,
            stdout=subprocess.PIPE,
            text=True,
        )
        self.url = re.search(r"http://\S+", self.process.stdout.readline())[0].rstrip("/")
        until(self.answers, "the server to answer")

    def answers(self):
        try:
            return httpx.get(f"{self.url}/sign-in").status_code == 200
        except httpx.TransportError:
            return False

    def kill(self):
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()
        self.process.stdout.close()


@pytest.fixture
def server(tmp_path):
    with RigProcess("tide_tank", seed=5) as rig:
        one = Server(tmp_path, rig)
        one.manage("migrate")
        one.manage(
            "shell", "-c",
            "from galena.classroom.models import Person\n"
            "from galena.experiments.flows import create\n"
            "create(Person.objects.create_user('ada', first_name='Ada'), 'Power cut')",
        )  # fmt: skip
        one.start()
        yield one
        one.kill()


def test_a_run_survives_the_killing_of_the_server(chromium, server):
    context = chromium.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.goto(server.url)
    page.get_by_role("button", name="Come in as Ada").click()
    page.get_by_role("link", name="Power cut").click()
    expect(page.get_by_role("region", name="water level")).to_be_visible()
    page.get_by_role("link", name="Plan a run").click()
    page.wait_for_load_state()
    page.get_by_label("readings a second").fill(str(RATE))
    page.get_by_label("duration").fill("600")
    page.get_by_role("checkbox", name="water temperature").uncheck()
    page.get_by_role("button", name="Record Space").click()
    expect(page.get_by_text("● recording run 1")).to_be_visible()
    status = page.url.replace("/record", "/record/status")

    def enough():
        said = page.request.get(status).json()
        return said if said["stored"] > 2 * RATE else None

    said = until(enough, "two seconds of readings")
    server.kill()
    server.start()
    page.goto(f"{server.url}/")
    page.get_by_role("link", name="Power cut").click()
    expect(page.locator("#rail")).to_contain_text("interrupted")
    expect(page.locator(".stack")).to_have_attribute("data-shown", re.compile('"runs":1'))
    page.get_by_role("button", name="Readings", exact=True).click()
    drawer = page.get_by_role("region", name="Readings")
    expect(drawer.locator("[data-shown=count]")).to_contain_text("rows")
    count = re.search(r"([\d\u2009]+) rows", drawer.inner_text())[1].replace("\u2009", "")
    assert int(count) >= said["stored"]
    page.get_by_role("button", name="About run 1").click()
    expect(page.locator("#facts")).to_contain_text("All that was stored until then is here.")
    page.get_by_role("link", name="Record").click()
    expect(page.get_by_role("heading", name="Plan")).to_be_visible()
    context.close()


LESSON = """
from galena.experiments.models import Experiment
from galena.lessons import flows, handing_out
one = Experiment.objects.get()
lesson = flows.begin(one.owner, one, flows.described_of("Power cut", "", [], ["sheets"]))
lesson.questions.create(words="depth", kind="typed", unit="cm")
print(lesson.code)
"""


def test_groups_come_back_by_themselves_and_nothing_typed_is_lost(chromium, server):
    command = [sys.executable, "-m", "galena", "manage", "shell", "-v0", "-c", LESSON]
    told = subprocess.run(command, env=server.environment, check=True, capture_output=True)
    code = told.stdout.decode().strip().splitlines()[-1]
    contexts = [chromium.new_context(viewport={"width": 390, "height": 844}) for _ in range(2)]
    pages = [context.new_page() for context in contexts]
    for page, name in zip(pages, ("Gannet", "Tern"), strict=True):
        page.goto(f"{server.url}/come-in")
        page.locator("#code").fill(code)
        page.locator("#name").fill(name)
        page.get_by_role("button", name="Come in").click()
        expect(page.get_by_role("heading", name="Task")).to_be_visible()
    gannet, tern = pages
    tern.locator("[name=answer]").fill("12.1 ± 0.2")
    tern.get_by_role("button", name="Save").click()
    expect(tern.get_by_text("kept")).to_be_visible()
    gannet.locator("[name=answer]").fill("11.9 ±")
    server.kill()
    expect(gannet.locator("#banner")).to_contain_text("this page goes on by itself")
    server.start(int(server.url.rpartition(":")[2]))
    for page in pages:
        expect(page.locator("#banner")).to_be_hidden()
    field = gannet.locator("[name=answer]")
    expect(field).to_have_value("11.9 ±")
    field.fill("11.9 ± 0.1")
    gannet.get_by_role("button", name="Save").click()
    expect(gannet.get_by_text("kept")).to_be_visible()
    tern.reload()
    expect(tern.locator("[name=answer]")).to_have_value("12.1 ± 0.2")
    for context in contexts:
        context.close()

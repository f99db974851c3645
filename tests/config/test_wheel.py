"""The wheel holds everything: built, installed elsewhere, started, and a run recorded."""

import os
import re
import subprocess
import sys
import sysconfig
import zipfile
from pathlib import Path

import httpx
import pytest

from galena.instruments.rigs.process import RigProcess
from tests.waiting import until

ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture(scope="module")
def wheel(tmp_path_factory):
    """Build it from what the repository holds."""
    tree, target = tmp_path_factory.mktemp("tree"), tmp_path_factory.mktemp("wheel")
    command = ["git", "ls-files", "-z", "--cached", "--others", "--exclude-standard"]
    command += ["galena", "pyproject.toml", "README.md", "LICENSE"]
    listed = subprocess.run(command, cwd=ROOT, capture_output=True, check=True).stdout.decode()
    for name in filter(None, listed.split("\0")):
        copy = tree / name
        copy.parent.mkdir(parents=True, exist_ok=True)
        copy.write_bytes((ROOT / name).read_bytes())
    command = [sys.executable, "-m", "pip", "wheel", "--quiet", "--no-deps", "--no-build-isolation"]
    subprocess.run([*command, "--wheel-dir", str(target), str(tree)], check=True)
    (made,) = target.iterdir()
    return made, {name for name in listed.split("\0") if name.startswith("galena/")}


def test_it_holds_every_file_of_the_package(wheel):
    made, listed = wheel
    with zipfile.ZipFile(made) as archive:
        held = set(archive.namelist())
    assert listed <= held
    assert any(name.endswith("entry_points.txt") for name in held)


@pytest.mark.slow
def test_installed_elsewhere_it_starts_and_records_a_run(wheel, tmp_path):
    made, _ = wheel
    own = tmp_path / "own"
    subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(own)], check=True)
    (packages,) = (own / "lib").glob("python*/site-packages")
    # What Galena needs is here already; of Galena itself only the wheel is.
    (packages / "needs.pth").write_text(sysconfig.get_paths()["purelib"] + "\n")
    install = [sys.executable, "-m", "pip", "--python", str(own / "bin" / "python"), "install"]
    subprocess.run([*install, "--quiet", "--no-deps", "--no-index", str(made)], check=True)
    galena = own / "bin" / "galena"
    with RigProcess("tide_tank", seed=2) as rig:
        environment = {key: value for key, value in os.environ.items() if key != "PYTHONPATH"}
        environment |= {
            "GALENA_DATA": str(tmp_path / "data"),
            "GALENA_STAND_INS": " ".join(rig.addresses),
        }
        environment |= {"DJANGO_SETTINGS_MODULE": "galena.config.settings"}
        process = subprocess.Popen([galena, "serve", "--port", "0"], env=environment, cwd=tmp_path,
                                   stdout=subprocess.PIPE, text=True)  # fmt: skip
        try:
            address = re.search(r"http://\S+/", process.stdout.readline())[0]
            first = re.search(r"http://\S+", process.stdout.readline())[0]
            _records(address, first)
        finally:
            process.terminate()
            process.wait(180)
            process.stdout.close()
    command = [own / "bin" / "python", "-c", "import galena; print(galena.__file__)"]
    place = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=True).stdout
    assert place.startswith(str(packages))


def _records(address, first):
    def ready():
        try:
            return httpx.get(f"{address}sign-in").status_code == 200
        except httpx.TransportError:
            return False

    until(ready, "the server")
    with httpx.Client(base_url=address, follow_redirects=True, timeout=180) as browser:

        def send(path, **fields):
            fields["csrfmiddlewaretoken"] = browser.cookies["csrftoken"]
            return browser.post(path, data=fields)

        browser.get(first)
        send(first, name="ada", called="Ada", password="skerry-lamps")
        page = send("experiments/new", title="Tide tank")
        here = re.search(r"/experiments/\d+", str(page.url))[0][1:]
        for path in re.findall(r'(?:href|src)="(/static/[^"]+)"', page.text):
            assert browser.get(path).status_code == 200, path
        until(lambda: "water level" in browser.get(f"{here}/bench").text, "the gauge")
        keys = re.findall(r'name="channel" value="(\d+)"', browser.get(f"{here}/record").text)
        assert keys
        fields = {"plan": "steady", "kind-shown": "steady", "rate": "20", "duration": "1"}
        fields["channel"] = keys
        began = send(f"{here}/record/start", **fields)
        assert began.status_code == 200, began.text[:500]
        until(
            lambda: browser.get(f"{here}/record/status").json()["recording"] is None, "its end", 30
        )
        table = browser.get(f"{here}/runs/1/readings.csv").text
        assert len(re.findall(r"^0\.\d+[,;]", table, re.MULTILINE)) >= 19, table[:800]

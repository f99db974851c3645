"""The command line: people, backups, checking, and what stands in its way."""

import os
import re
import socket
import ssl
import subprocess
import sys
from pathlib import Path

import httpx
import pytest

from galena.config import commands
from tests.waiting import until

ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture
def galena(tmp_path):
    """Run galena in a data folder of its own; gives exit code and what it printed."""
    folder = tmp_path / "data"

    def run(*words, stdin="", **more):
        environment = os.environ | {"GALENA_DATA": str(folder), "GALENA_STAND_INS": ""} | more
        environment.pop("GALENA_DEMO", None)
        environment["DJANGO_SETTINGS_MODULE"] = "galena.config.settings"
        done = subprocess.run(
            [sys.executable, "-m", "galena", *words], env=environment, cwd=ROOT, input=stdin,
            capture_output=True, text=True,
        )  # fmt: skip
        return done.returncode, done.stdout + done.stderr

    run.folder = folder
    return run


class Serving:
    """`galena serve` as a person runs it."""

    def __init__(self, folder, *words):
        environment = os.environ | {"GALENA_DATA": str(folder), "GALENA_STAND_INS": ""}
        environment |= {"DJANGO_SETTINGS_MODULE": "galena.config.settings"}
        environment.pop("GALENA_DEMO", None)
        command = [sys.executable, "-m", "galena", "serve", "--port", "0", *words]
        self.process = subprocess.Popen(command, env=environment, cwd=ROOT, text=True,
                                        stdout=subprocess.PIPE)  # fmt: skip
        self.told_before = []  # the lines that come before the address
        for line in self.process.stdout:
            if address := re.search(r"https?://\S+", line):
                self.address = address[0]
                break
            self.told_before.append(line)

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self.process.terminate()
        self.process.wait(180)
        self.process.stdout.close()


def test_people_are_added_listed_and_get_new_passwords(galena):
    code, told = galena("person", "add", "ada", "--called", "Ada", stdin="skerry-lamps\n")
    assert (code, told.strip()) == (0, "Ada can sign in as ada.")
    assert galena("person", "add", "tern", stdin="skerry-lamps\n")[0] == 0
    code, told = galena("person", "list")
    assert code == 0
    assert re.search(r"ada +Ada +looks after Galena", told)  # the first one does
    assert re.search(r"^tern +tern$", told, re.MULTILINE)
    code, told = galena("person", "password", "ada", stdin="123\n")
    assert code == 1
    assert "too short" in told
    assert galena("person", "password", "ada", stdin="new-skerry-lamp\n")[0] == 0
    assert "Nobody signs in as “gull”." in galena("person", "password", "gull", stdin="x\n")[1]
    assert "“ada” is taken" in galena("person", "add", "ada", stdin="skerry-lamps\n")[1]


def test_a_backup_is_made_and_brought_back_while_nothing_runs(galena, tmp_path):
    file = tmp_path / "kept.zip"
    assert "nothing to keep" in galena("backup", str(file))[1]
    galena("person", "add", "ada", stdin="skerry-lamps\n")
    code, told = galena("backup", str(file))
    assert code == 0
    assert "each with its checksum" in told
    galena("person", "add", "tern", stdin="skerry-lamps\n")
    code, told = galena("restore", str(file))
    assert code == 0, told
    assert "is back in" in told
    assert "before restoring" in told
    assert "tern" not in galena("person", "list")[1]
    file.write_bytes(file.read_bytes()[:-40])
    code, told = galena("restore", str(file))
    assert code == 1
    assert "damaged" in told
    assert "ada" in galena("person", "list")[1]


def test_galena_checks_itself(galena):
    code, told = galena("check", "--port", str(_free_port()))
    assert code == 0, told
    assert "no database yet" in told
    galena("person", "add", "ada", stdin="skerry-lamps\n")
    code, told = galena("check", "--port", str(_free_port()))
    assert code == 0, told
    assert "1 teacher can sign in" in told
    assert "whole" in told
    with socket.create_server(("127.0.0.1", 0)) as taken:
        code, told = galena("check", "--port", str(taken.getsockname()[1]))
    assert code == 1
    assert "Another program uses it" in told


def test_a_spoiled_database_is_told(galena):
    galena("person", "add", "ada", stdin="skerry-lamps\n")
    database = galena.folder / "galena.sqlite3"
    data = bytearray(database.read_bytes())
    data[100:8192] = b"x" * 8092
    database.write_bytes(bytes(data))
    code, told = galena("check", "--port", str(_free_port()))
    assert code == 1
    assert "LOOK" in told
    assert "Traceback" not in told
    code, told = galena("person", "list")
    assert code == 1
    assert "Bring a backup back with galena restore FILE" in told
    assert "Traceback" not in told


def test_a_folder_that_cannot_be_used_is_told(tmp_path, galena):
    file = tmp_path / "file"
    file.write_text("")
    code, told = galena("serve", GALENA_DATA=str(file / "data"))
    assert code == 1
    assert "Nothing can be kept in" in told
    assert "Traceback" not in told


def test_the_first_start_shows_where_the_first_account_is_made(galena):
    with Serving(galena.folder) as serving:
        line = serving.process.stdout.readline()
        (address,) = re.findall(r"http://\S+/first/\S+", line)
        until(lambda: _answers(serving.address), "the server")
        assert httpx.get(serving.address, timeout=180).status_code == 302
        with httpx.Client(timeout=180) as browser:
            page = browser.get(address)
            assert "Welcome to Galena" in page.text
            sent = {"name": "ada", "called": "Ada", "password": "skerry-lamps",
                    "csrfmiddlewaretoken": browser.cookies["csrftoken"]}  # fmt: skip
            assert browser.post(address, data=sent).headers["location"] == "/"
            assert "There is no experiment yet" in browser.get(serving.address).text
            assert browser.get(address).status_code == 404
        code, told = galena("serve", "--port", "0")
        assert code == 1
        assert "Another Galena is running on" in told
        assert galena("backup")[0] == 0  # also while it runs


def test_by_https_devices_get_the_certificate_and_are_served(galena, tmp_path):
    with Serving(galena.folder, "--https", "--port", str(_free_port())) as serving:
        assert serving.address.startswith("https://127.0.0.1:")
        told = serving.process.stdout.readline()
        (plain,) = re.findall(r"http://[\d.:]+/", told)
        until(lambda: _answers(plain), "the plain address")
        known = tmp_path / "authority.crt"
        known.write_bytes(httpx.get(f"{plain}authority.crt", timeout=180).content)
        trusting = ssl.create_default_context(cafile=str(known))
        until(lambda: _answers(serving.address, trusting), "the server")
        page = httpx.get(f"{serving.address}sign-in", verify=trusting, timeout=180)
        assert page.status_code == 200
        cookie = page.headers["set-cookie"]
        assert cookie.startswith("__Host-csrf=")
        for word in ("Secure", "HttpOnly", "SameSite=Lax", "Path=/"):
            assert word in cookie
        with pytest.raises(httpx.ConnectError):
            httpx.get(serving.address, timeout=180)


def _answers(address, known=True):
    try:
        return httpx.get(address, verify=known).status_code < 500
    except httpx.TransportError:
        return False


def _free_port():
    """Give a port that is free, and the one after it."""
    while True:
        with socket.create_server(("127.0.0.1", 0)) as one:
            port = one.getsockname()[1]
        try:
            socket.create_server(("127.0.0.1", port + 1)).close()
        except OSError:
            continue
        return port


def test_all_commands_are_listed(capsys):
    with pytest.raises(SystemExit) as ended:
        commands.main(["--help"])
    assert ended.value.code == 0
    told = capsys.readouterr().out
    for command in commands.COMMANDS:
        assert command.name in told
        assert command.words.split()[0] in told

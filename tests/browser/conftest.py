"""Debian's Chromium, driven by Playwright, watched for errors and for requests to elsewhere.

The main path goes through the whole browser; all else through the same Chromium without the parts
around a page (its windows, tabs and menus), which takes a third less of the processor.
"""

import shutil
from urllib.parse import urlsplit

import pytest
from django.test import Client
from playwright.sync_api import expect, sync_playwright

CHROMIUM = "/usr/bin/chromium"
PAGES_ONLY = shutil.which("chromium-headless-shell") or CHROMIUM
PATIENCE = 150_000  # ms: how fast the machine is decides no test
FLAGS = [
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--use-fake-device-for-media-stream",
]  # fmt: skip


def pytest_collection_modifyitems(items):
    for item in items:
        if "/browser/" in str(item.path):
            item.add_marker(pytest.mark.browser)


@pytest.fixture(scope="module")
def chromium(request):
    """A browser, the whole one for a module that names it as its BROWSER; ended with the tests of
    its file: as long as it is open a loop runs in this thread, which tests of other files may not
    meet."""
    expect.set_options(timeout=PATIENCE)
    program = getattr(request.module, "BROWSER", PAGES_ONLY)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=program, args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def window(chromium, room):
    """Give a way to open windows; no error and no request to elsewhere is left unnoticed."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    context.set_default_timeout(PATIENCE)
    faults = []

    def watch(page):
        page.on("pageerror", lambda error: faults.append(f"error: {error}"))
        page.on("console", lambda said: _complaint(said, faults))
        page.on("request", lambda request: _elsewhere(request, faults))

    context.on("page", watch)
    yield context.new_page
    context.close()
    assert faults == []


def _complaint(said, faults):
    # A refused plan is answered with status 422, which Chromium logs as an error of its own.
    of_tests = ("422", "409", "ERR_INTERNET_DISCONNECTED")
    if said.type == "error" and not any(one in said.text for one in of_tests):
        faults.append(f"console: {said.text}")


def _elsewhere(request, faults):
    parts = urlsplit(request.url)
    if parts.scheme not in ("data", "blob") and parts.hostname != "127.0.0.1":
        faults.append(f"request to {request.url}")


@pytest.fixture
def page(window, room, ada):
    """A window in which Ada has come in."""
    page = window()
    session = Client()
    session.force_login(ada)  # the way in by the page is walked by the tests of signing in
    key = session.cookies["sessionid"].value
    page.context.add_cookies([{"name": "sessionid", "value": key, "url": room.url}])
    page.room = room
    return page

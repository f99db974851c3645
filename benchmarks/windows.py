"""Chromium as the benchmarks open it: that of the browser tests, and as patient as they are."""

from playwright.sync_api import Browser, BrowserContext, Playwright, StorageState

from tests.browser.conftest import CHROMIUM, FLAGS, PATIENCE

VIEWPORT = {"width": 1280, "height": 800}


def launch(playwright: Playwright) -> Browser:
    """Start the whole browser, without a monitor."""
    return playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)


def new_context(browser: Browser, state: StorageState | None = None) -> BrowserContext:
    """Give a context for windows of one person; state: what she came in with."""
    context = browser.new_context(viewport=VIEWPORT, storage_state=state)
    context.set_default_timeout(PATIENCE)
    return context

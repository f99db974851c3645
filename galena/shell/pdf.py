"""Pages as PDF. Imports no Django: it runs in a worker process."""

import sys
from pathlib import Path
from urllib.parse import unquote, urlsplit

from galena.shell.worker import WorkerError

PACKAGE = Path(__file__).resolve().parent.parent
ASSETS = [PACKAGE / app / "static" for app in ("shell", "reports")]


INSTALL = {
    "linux": "apt install libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0",
    "darwin": "brew install pango",
    "win32": "install the Pango library, for example with MSYS2: pacman -S mingw-w64-x86_64-pango",
}


class NoPdfError(WorkerError):
    """What sets pages as PDF is not installed on this computer."""


def missing_libraries() -> str:
    """Say what to install so that pages can be set as PDF; empty where nothing is missing."""
    try:
        import weasyprint  # noqa: F401 - loads the libraries of the system
    except (OSError, ImportError):
        act = INSTALL.get(sys.platform, "install the Pango library")
        return (
            "PDF needs a library that this computer does not have. On it: "
            f"{act}. Until then the report as a page of HTML can be printed from the browser."
        )
    return ""


def make_pdf(html: str) -> bytes:
    """Set a page of HTML as PDF. Raises NoPdfError where a library is missing."""
    return shipped_page(html).write_pdf(pdf_tags=True)


def shipped_page(html: str):
    """Give a page for WeasyPrint that uses the shipped styles and fonts and nothing else."""
    if missing := missing_libraries():
        raise NoPdfError(missing)
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher

    class ShippedOnly(URLFetcher):
        def fetch(self, url, headers=None):
            parts = urlsplit(url)
            path = Path(unquote(parts.path)).resolve()
            is_file = parts.scheme == "file" and not (parts.netloc or parts.query)
            if not is_file or not any(folder in path.parents for folder in ASSETS):
                raise ValueError(f"{url[:80]} is not part of Galena")
            return super().fetch(path.as_uri(), headers)

    return HTML(string=html, base_url=PACKAGE.as_uri() + "/", url_fetcher=ShippedOnly())

"""Pages as PDF. Imports no Django: it runs in a worker process."""

from pathlib import Path
from urllib.parse import unquote, urlsplit

PACKAGE = Path(__file__).resolve().parent.parent
ASSETS = [PACKAGE / app / "static" for app in ("shell", "reports")]


def make_pdf(html: str) -> bytes:
    """Set a page of HTML as PDF."""
    return shipped_page(html).write_pdf(pdf_tags=True)


def shipped_page(html: str):
    """Give a page for WeasyPrint that uses the shipped styles and fonts and nothing else."""
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

"""The report as PDF. Imports no Django: it runs in a worker process.

PDF/A-3a (ISO 19005-3): tagged, its fonts inside, with the readings of each figure and the
experiment file attached.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Attached:
    """A file that goes along with the PDF."""

    name: str
    words: str
    data: bytes


def make(html: str, attached: list[Attached], paper: str) -> bytes:
    """Set a page of HTML as PDF with files attached. paper: `A4` or `letter`."""
    from galena.shell.pdf import shipped_page

    page = shipped_page(html)
    from weasyprint import CSS, Attachment

    files = [
        Attachment(string=one.data, name=one.name, description=one.words, relationship="Data")
        for one in attached
    ]
    sheet = CSS(string=f"@page {{ size: {'letter' if paper == 'letter' else 'A4'} }}")
    return page.write_pdf(
        pdf_variant="pdf/a-3a", pdf_tags=True, attachments=files or None, stylesheets=[sheet]
    )

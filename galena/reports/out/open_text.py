"""The report as a text document (OpenDocument 1.3, ISO/IEC 26300): headings, paragraphs, lists,
tables and pictures that a word processor can go on with."""

from __future__ import annotations

import io
import re
import zipfile
from html.parser import HTMLParser
from xml.sax.saxutils import escape, quoteattr

MEDIA_TYPE = "application/vnd.oasis.opendocument.text"
_WIDE = 17.0  # cm that a picture of the whole width takes
_PIXELS = 96 / 2.54  # in a centimetre
_STYLES = {"em": "Italic", "strong": "Bold", "b": "Bold", "code": "Code", "del": "Struck"}
_NAMESPACES = (
    'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
    'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" '
    'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" '
    'xmlns:draw="urn:oasis:names:tc:opendocument:xmlns:drawing:1.0" '
    'xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0" '
    'xmlns:fo="urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0" '
    'xmlns:svg="urn:oasis:names:tc:opendocument:xmlns:svg-compatible:1.0" '
    'xmlns:xlink="http://www.w3.org/1999/xlink" office:version="1.3"'
)
_LOOKS = (  # name, family, properties
    ("Bold", "text", 'text-properties fo:font-weight="bold"'),
    ("Italic", "text", 'text-properties fo:font-style="italic"'),
    ("Struck", "text", 'text-properties style:text-line-through-style="solid"'),
    ("Code", "text", 'text-properties fo:font-family="monospace"'),
    ("Caption", "paragraph", 'text-properties fo:font-size="9pt" fo:color="#55606b"'),
    ("Middle", "paragraph", 'paragraph-properties fo:text-align="center"'),
)
_AUTOMATIC = "".join(
    f'<style:style style:name="{name}" style:family="{family}"><style:{properties}/></style:style>'
    for name, family, properties in _LOOKS
)
_COLUMNS = "<!--columns-->"
_MANIFEST = (
    '<?xml version="1.0" encoding="UTF-8"?><manifest:manifest '
    'xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3">'
    '<manifest:file-entry manifest:full-path="/" manifest:media-type="{media}"/>'
    '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/>'
    "{pictures}</manifest:manifest>"
)


def document(html: str) -> bytes:
    """Give the document of a page that was set for paper: its pictures are drawn in it as SVG."""
    writer = _Writer()
    writer.feed(html)
    writer.close()
    content = (
        f'<?xml version="1.0" encoding="UTF-8"?><office:document-content {_NAMESPACES}>'
        f"<office:automatic-styles>{_AUTOMATIC}</office:automatic-styles>"
        f"<office:body><office:text>{writer.content}</office:text></office:body>"
        "</office:document-content>"
    )
    listed = "".join(
        f'<manifest:file-entry manifest:full-path="{name}" manifest:media-type="image/svg+xml"/>'
        for name in writer.pictures
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr(zipfile.ZipInfo("mimetype"), MEDIA_TYPE)  # first, and not packed
        file.writestr("content.xml", content)
        for name, svg in writer.pictures.items():
            file.writestr(name, svg)
        file.writestr("META-INF/manifest.xml", _MANIFEST.format(media=MEDIA_TYPE, pictures=listed))
    return out.getvalue()


class _Writer(HTMLParser):
    """Writes the elements of a page as those of a text document."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self._out: list[str] = []
        self._open: list[str] = []  # what closes each element that is open
        self._drawing: list[str] | None = None
        self._depth = 0
        self._width = _WIDE  # cm of the figure that is open
        self.pictures: dict[str, str] = {}

    @property
    def content(self) -> str:
        """All that was written."""
        return "".join(self._out)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag == "svg" or self._drawing is not None:
            self._draw(tag, attrs)
            return
        begin, end = self._element(tag, dict(attrs))
        self._out.append(begin)
        if tag not in ("br", "hr"):
            self._open.append(end)

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if self._drawing is not None:
            self._drawing.append(_tag(tag, attrs, "/"))
            return
        self.handle_starttag(tag, attrs)
        if tag not in ("br", "hr"):
            self.handle_endtag(tag)

    def handle_endtag(self, tag: str) -> None:
        if self._drawing is not None:
            self._drawing.append(f"</{tag}>")
            if tag == "svg":
                self._depth -= 1
                if self._depth == 0:
                    self._finish()
            return
        if tag not in ("br", "hr") and self._open:
            self._out.append(self._open.pop())
        if tag == "table":
            self._count_columns()

    def _count_columns(self) -> None:
        """Say before the rows of the last table how many columns it has."""
        at = max(place for place, part in enumerate(self._out) if part.endswith(_COLUMNS))
        rows = "".join(self._out[at:]).split("<table:table-row>")
        count = max((row.count("<table:table-cell") for row in rows), default=1)
        columns = f'<table:table-column table:number-columns-repeated="{max(1, count)}"/>'
        self._out[at] = self._out[at].replace(_COLUMNS, columns)

    def handle_data(self, data: str) -> None:
        if self._drawing is not None:
            self._drawing.append(escape(data))
        elif data.strip() or self._is_in_words():
            self._out.append(escape(data))

    def _is_in_words(self) -> bool:
        return bool(self._open) and any("text:p>" in one or "text:h>" in one for one in self._open)

    def _element(self, tag: str, attrs: dict[str, str | None]) -> tuple[str, str]:
        """Give what an element begins and ends with."""
        if tag in ("h1", "h2", "h3", "h4"):
            return f'<text:h text:outline-level="{tag[1]}">', "</text:h>"
        if tag == "p":
            return ("", "") if self._is_in_words() else ("<text:p>", "</text:p>")
        if tag == "figcaption":
            return '<text:p text:style-name="Caption">', "</text:p>"
        if tag in ("ul", "ol"):
            return "<text:list>", "</text:list>"
        if tag == "li":
            return "<text:list-item><text:p>", "</text:p></text:list-item>"
        if tag == "table":
            return "<table:table>" + _COLUMNS, "</table:table>"
        if tag == "figure":
            shares = {"half": 0.48, "third": 0.31}
            named = (attrs.get("class") or "").split()
            self._width = _WIDE * next((shares[one] for one in named if one in shares), 1.0)
            return "", ""
        if tag == "tr":
            return "<table:table-row>", "</table:table-row>"
        if tag in ("td", "th"):
            return (
                '<table:table-cell office:value-type="string"><text:p>',
                "</text:p></table:table-cell>",
            )
        if tag == "pre" or (tag == "div" and attrs.get("class") == "formula"):
            return '<text:p text:style-name="Middle">', "</text:p>"
        if tag == "br":
            return "<text:line-break/>", ""
        if tag in _STYLES and self._is_in_words():
            return f'<text:span text:style-name="{_STYLES[tag]}">', "</text:span>"
        return "", ""

    def _draw(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if self._drawing is None:
            self._drawing = []
        if tag == "svg":
            self._depth += 1
        self._drawing.append(_tag(tag, attrs))

    def _finish(self) -> None:
        """Put the picture that was drawn into the text."""
        assert self._drawing is not None
        svg, self._drawing = "".join(self._drawing), None
        first = svg.partition(">")[0]
        if "xmlns=" not in first:
            svg = svg.replace("<svg", '<svg xmlns="http://www.w3.org/2000/svg"', 1)
        name = f"Pictures/{len(self.pictures) + 1}.svg"
        self.pictures[name] = svg
        width, height = _size(first)
        is_in_words = self._is_in_words()
        wide = min(width, _WIDE) if is_in_words else self._width
        width, height = wide, height * wide / width
        frame = (
            f'<draw:frame text:anchor-type="as-char" svg:width="{width:.2f}cm" '
            f'svg:height="{height:.2f}cm"><draw:image xlink:href="{name}" xlink:type="simple"/>'
            "</draw:frame>"
        )
        self._out.append(frame if is_in_words else f"<text:p>{frame}</text:p>")


def _tag(tag: str, attrs: list[tuple[str, str | None]], end: str = "") -> str:
    # the parser gives names of attributes in small letters; SVG has one that is not
    named = {"viewbox": "viewBox"}
    given = "".join(f" {named.get(name, name)}={quoteattr(value or '')}" for name, value in attrs)
    return f"<{tag}{given}{end}>"


def _size(first: str) -> tuple[float, float]:
    """Give the width and height of a drawing, in cm."""
    sizes = [re.search(rf'\b{name}="([\d.]+)', first) for name in ("width", "height")]
    if all(sizes):
        width, height = (float(one[1]) for one in sizes if one)
    else:
        box = re.search(r'viewBox="([^"]+)"', first, re.IGNORECASE)
        _, _, width, height = map(float, box[1].split()) if box else (0.0, 0.0, 640.0, 330.0)
    return max(width, 1.0) / _PIXELS, max(height, 1.0) / _PIXELS

"""Printed pages: HTML that stands alone to PDF, without network, in the fonts that ship with Kardo."""

from functools import lru_cache
from html import escape
from importlib.resources import files
from typing import TYPE_CHECKING, Literal

from kardo.core.errors import ReadError

if TYPE_CHECKING:
    from weasyprint.urls import URLFetcher

Paper = Literal["A4", "A3", "Letter", "Tabloid"]
PAPERS: dict[str, tuple[float, float]] = {  # millimetres, lying: ISO 216; ANSI/ASME Y14.1
    "A4": (297.0, 210.0),
    "A3": (420.0, 297.0),
    "Letter": (279.4, 215.9),
    "Tabloid": (431.8, 279.4),
}
LARGER = {"A4": "A3", "Letter": "Tabloid"}  # what stands beside an organisation's usual paper
FONTS = {
    "Kardo Text": "atkinson-hyperlegible-next-latin-wght-normal.woff2",
    "Kardo Figures": "atkinson-hyperlegible-mono-latin-wght-normal.woff2",
}
USUAL = "size: A4;"  # of a page that stands
STYLE = """
@page { size: A4; margin: 14mm 15mm 16mm; @bottom-left { content: string(foot); font: 7.5pt "Kardo Text"; width: 90% }
  @bottom-right { content: counter(page) " / " counter(pages); font: 7.5pt "Kardo Figures"; white-space: nowrap } }
body { font: 10pt/1.35 "Kardo Text", sans-serif; color: #17242e }
h1 { font-size: 17pt; margin: 0 } h2 { font-size: 12pt; margin: 6mm 0 2mm; border-bottom: 0.4pt solid #17242e }
.foot { string-set: foot content(); height: 0; overflow: hidden; font-size: 1pt; color: white }
.lead { font-size: 12pt; margin: 2mm 0 3mm } .quiet { color: #52606a } .figures { font-family: "Kardo Figures", monospace }
table { border-collapse: collapse; width: 100% } th { text-align: left; font-weight: 600; border-bottom: 0.6pt solid #17242e }
td, th { padding: 1mm 2mm 1mm 0; vertical-align: top } td { border-bottom: 0.3pt solid #c9c2b2 }
td.figures, th.figures { white-space: nowrap } .num { text-align: right }
@media screen { body { max-width: 60em; margin: 2em auto; padding: 0 1em } }
tr { page-break-inside: avoid } ul { margin: 1mm 0; padding-left: 4.5mm } li { margin-bottom: 0.7mm }
.first { font-size: 9pt } .first h2 { font-size: 11pt; margin: 3.5mm 0 1.5mm } .first td, .first th { padding: 0.6mm 2mm 0.6mm 0 }
"""


def page(title: str, foot: str, body: str) -> str:
    """A whole HTML document; the body is HTML already, title and foot are text."""
    return (
        '<!doctype html><html lang="en"><head><meta'
        f' charset="utf-8"><title>{escape(title)}</title><style>{STYLE}</style></head><body><div'
        f' class="foot">{escape(foot)}</div>{body}</body></html>'
    )


def pdf(
    html: str, attached: dict[str, str] | None = None, pictures: dict[str, bytes] | None = None, paper: Paper = "A4"
) -> bytes:
    """The document as PDF on paper that stands, where it does not say its own, with texts attached by file name;
    pictures: JPEGs that it shows, by the name after `picture:`. Raises ReadError for one that asks for anything from
    outside."""
    from weasyprint import CSS, HTML, Attachment
    from weasyprint.text.fonts import FontConfiguration
    from weasyprint.urls import FatalURLFetchingError

    fonts = FontConfiguration()
    fetcher = _own_fonts(pictures or {})
    faces = CSS(string=_faces(), font_config=fonts, url_fetcher=fetcher)
    high, wide = PAPERS[paper]
    files_ = [Attachment(string=text, name=name) for name, text in (attached or {}).items()]
    document = HTML(string=html.replace(USUAL, f"size: {wide}mm {high}mm;", 1), url_fetcher=fetcher)
    try:
        return bytes(document.write_pdf(stylesheets=[faces], font_config=fonts, attachments=files_))
    except FatalURLFetchingError as fault:
        raise ReadError("A document asks for something from outside.", where=str(fault)[:80]) from fault


@lru_cache(maxsize=1)
def _faces() -> str:
    return "".join(
        f'@font-face {{ font-family: "{name}"; src: url(font:{file}) format("woff2") }}' for name, file in FONTS.items()
    )


def _own_fonts(pictures: dict[str, bytes]) -> "URLFetcher":
    """What a document may ask for: the fonts that ship with Kardo, the pictures that came with it, and nothing else
    from anywhere."""
    from weasyprint.urls import FatalURLFetchingError, URLFetcher, URLFetcherResponse

    class OwnFonts(URLFetcher):  # type: ignore[misc]  # it has no types
        def fetch(self, url: str, headers: object = None) -> object:
            if url.startswith("picture:") and (shown := pictures.get(url.removeprefix("picture:"))):
                return URLFetcherResponse(url, shown, {"Content-Type": "image/jpeg"})
            name = url.removeprefix("font:")
            if name not in FONTS.values():
                raise FatalURLFetchingError(url)
            body = (files("kardo.formats") / "fonts" / name).read_bytes()
            return URLFetcherResponse(url, body, {"Content-Type": "font/woff2"})

    return OwnFonts(fail_on_errors=True)

"""Printed pages: HTML that stands alone to PDF, without network, in the fonts that ship with Kardo."""

from functools import lru_cache
from html import escape
from importlib.resources import files
from typing import TYPE_CHECKING

from kardo.core.errors import ReadError

if TYPE_CHECKING:
    from weasyprint.urls import URLFetcher

FONTS = {
    "Kardo Text": "atkinson-hyperlegible-next-latin-wght-normal.woff2",
    "Kardo Figures": "atkinson-hyperlegible-mono-latin-wght-normal.woff2",
}
STYLE = """
@page { size: A4; margin: 16mm 15mm 18mm; @bottom-left { content: string(foot); font: 8pt "Kardo Text" }
  @bottom-right { content: counter(page) " / " counter(pages); font: 8pt "Kardo Figures" } }
body { font: 10pt/1.35 "Kardo Text"; color: #17242e }
h1 { font-size: 17pt; margin: 0 } h2 { font-size: 12pt; margin: 6mm 0 2mm; border-bottom: 0.4pt solid #17242e }
.foot { string-set: foot content(); height: 0; overflow: hidden; font-size: 1pt; color: white }
.lead { font-size: 12pt; margin: 2mm 0 3mm } .quiet { color: #52606a } .figures { font-family: "Kardo Figures" }
table { border-collapse: collapse; width: 100% } th { text-align: left; font-weight: 600; border-bottom: 0.6pt solid #17242e }
td, th { padding: 1mm 2mm 1mm 0; vertical-align: top } td { border-bottom: 0.3pt solid #c9c2b2 }
td.figures, th.figures { white-space: nowrap } .num { text-align: right }
tr { page-break-inside: avoid } li { margin-bottom: 1mm }
"""


def page(title: str, foot: str, body: str) -> str:
    """A whole HTML document; the body is HTML already, title and foot are text."""
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{escape(title)}</title><style>{STYLE}</style></head>'
        f'<body><div class="foot">{escape(foot)}</div>{body}</body></html>'
    )


def pdf(html: str) -> bytes:
    """The document as PDF. Raises ReadError for one that asks for anything from outside."""
    from weasyprint import CSS, HTML
    from weasyprint.text.fonts import FontConfiguration
    from weasyprint.urls import FatalURLFetchingError

    fonts = FontConfiguration()
    fetcher = _own_fonts()
    faces = CSS(string=_faces(), font_config=fonts, url_fetcher=fetcher)
    try:
        return bytes(HTML(string=html, url_fetcher=fetcher).write_pdf(stylesheets=[faces], font_config=fonts))
    except FatalURLFetchingError as fault:
        raise ReadError("A document asks for something from outside.", where=str(fault)[:80]) from fault


@lru_cache(maxsize=1)
def _faces() -> str:
    return "".join(
        f'@font-face {{ font-family: "{name}"; src: url(font:{file}) format("woff2") }}' for name, file in FONTS.items()
    )


def _own_fonts() -> "URLFetcher":
    """What a document may ask for: the fonts that ship with Kardo, and nothing else from anywhere."""
    from weasyprint.urls import FatalURLFetchingError, URLFetcher, URLFetcherResponse

    class OwnFonts(URLFetcher):
        def fetch(self, url, headers=None):
            name = url.removeprefix("font:")
            if name not in FONTS.values():
                raise FatalURLFetchingError(url)
            body = (files("kardo.formats") / "fonts" / name).read_bytes()
            return URLFetcherResponse(url, body, {"Content-Type": "font/woff2"})

    return OwnFonts(fail_on_errors=True)

"""Reports on paper, and pictures as files: the same HTML and SVG, set by WeasyPrint."""

from __future__ import annotations

import io
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

import pypdfium2
import weasyprint
from django.utils.safestring import SafeString
from PIL import ImageFile
from weasyprint.text.fonts import FontConfiguration

from yardstick_core.report.document import Document
from yardstick_server.reports.page import faces, report_html
from yardstick_server.reports.svg import LIGHT

#: The library that sets pages has every picture of this process taken that ends halfway through,
#: those that come from outside as well; here they are refused, and what is set is whole.
ImageFile.LOAD_TRUNCATED_IMAGES = False

_SHEET = Path(__file__).with_name("paper.css")
#: Pixels of CSS to points.
_POINTS = 72 / 96


class NothingFetched(weasyprint.urls.URLFetcher):
    """What is set comes whole: pictures and faces within it, nothing from anywhere else."""

    def __init__(self) -> None:
        super().__init__(allowed_protocols={"data"})


@cache
def _fonts() -> tuple[FontConfiguration, weasyprint.CSS]:
    fonts = FontConfiguration()
    return fonts, weasyprint.CSS(string=faces(), font_config=fonts, url_fetcher=NothingFetched())


def pdf(document: Document, heading: Mapping[str, Any] | None = None) -> bytes:
    """A report as A4 pages."""
    html = report_html(document, heading, palette=LIGHT)
    fonts, _ = _fonts()
    own = weasyprint.CSS(string=_SHEET.read_text(), font_config=fonts, url_fetcher=NothingFetched())
    set_ = weasyprint.HTML(string=html, url_fetcher=NothingFetched())
    made: bytes = set_.write_pdf(stylesheets=[own], font_config=fonts)
    return made


def png(drawing: SafeString, width: int, height: int) -> bytes:
    """An SVG as a picture of so many pixels."""
    fonts, css = _fonts()
    page = f"@page{{size:{width}px {height}px;margin:0}}body{{margin:0}}svg{{display:block}}"
    own = weasyprint.CSS(string=page, font_config=fonts, url_fetcher=NothingFetched())
    set_ = weasyprint.HTML(string=drawing, url_fetcher=NothingFetched())
    made = set_.write_pdf(stylesheets=[css, own], font_config=fonts)
    pages = pypdfium2.PdfDocument(made)
    try:
        picture = pages[0].render(scale=1 / _POINTS).to_pil().convert("RGB")
    finally:
        pages.close()
    out = io.BytesIO()
    picture.resize((width, height)).save(out, "PNG", optimize=True)
    return out.getvalue()

"""A report as PDF: its HTML laid out on A4, charts as lines that stay sharp."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from pathlib import Path

from PyQt6.QtCore import QByteArray, QMarginsF, QObject, QRectF, QSizeF
from PyQt6.QtGui import (
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QTextCharFormat,
    QTextDocument,
    QTextFormat,
    QTextObjectInterface,
)
from PyQt6.QtSvg import QSvgRenderer

from impeto.app.theme import FAMILY
from impeto.core.model.model import Model
from impeto.core.results.recording import Recording
from impeto.services.atomic import replacing
from impeto.services.report.report import rendered, write_report

SUFFIX = ".pdf"
CHART = QTextFormat.ObjectTypes.UserObject.value + 1
NUMBER = QTextFormat.Property.UserProperty.value + 1  # of the chart
DOTS = 96  # an inch, in which the HTML thinks
MARGIN = 16.0  # mm
PLACE = "impeto-chart-"
CHARTS = re.compile(r"<svg\b.*?</svg>", re.DOTALL)
STYLE = f"""
body {{ font-family: {FAMILY}; font-size: 9.5pt; color: #22262B; }}
h1 {{ font-size: 18pt; }} h2 {{ font-size: 13pt; margin-top: 18px; }} h3 {{ font-size: 10.5pt; }}
th {{ font-weight: 600; text-align: left; }} .n {{ text-align: right; }} .soft {{ color: #646A70; }}
td, th {{ padding: 2px 10px 2px 0; font-size: 8.5pt; }}
.good {{ color: #2F6F53; }} .doubtful {{ color: #8F5608; }} .bad {{ color: #A32B2B; }}
"""


class Charts(QObject, QTextObjectInterface):
    """Draws charts where their places are in the text."""

    def __init__(self, drawings: list[str], parent: QObject) -> None:
        super().__init__(parent)
        style = "<style>text { font-size: 11px; fill: #646A70; } .grid { stroke: #EFECE4; }</style>"
        self.charts = [
            QSvgRenderer(QByteArray(_standing_alone(svg, style).encode())) for svg in drawings
        ]

    def intrinsicSize(self, doc: QTextDocument | None, _at: int, form: QTextFormat) -> QSizeF:
        """As wide as the page."""
        assert doc is not None
        box = self.charts[int(form.property(NUMBER))].viewBoxF()
        wide = doc.textWidth() - 2.0 * doc.documentMargin() - 2.0
        return QSizeF(wide, wide * box.height() / max(box.width(), 1.0))

    def drawObject(
        self, painter: QPainter | None, rect: QRectF, _doc: QTextDocument | None, _at: int,
        form: QTextFormat,
    ) -> None:  # fmt: skip
        assert painter is not None
        self.charts[int(form.property(NUMBER))].render(painter, rect)


def write(
    path: Path, model: Model, recordings: Mapping[str, Recording], channels: Sequence[str],
    picture: bytes,
) -> None:  # fmt: skip
    """A report on a model and its runs, as HTML or, for a name that ends so, as PDF. Raises
    FileError; ChannelError for channels that no run has."""
    if path.suffix.lower() == SUFFIX:
        print_pdf(rendered(model, recordings, channels, picture), path)
    else:
        write_report(path, model, recordings, channels, picture)


def print_pdf(html: str, path: Path) -> None:
    """Write a report as PDF; needs an application, but not its thread. Raises FileError."""
    with replacing(path) as temporary:
        writer = QPdfWriter(str(temporary))
        writer.setResolution(DOTS)
        page = QPageLayout(
            QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait,
            QMarginsF(MARGIN, MARGIN, MARGIN, MARGIN), QPageLayout.Unit.Millimeter,
        )  # fmt: skip
        writer.setPageLayout(page)
        document = laid_out(html, QSizeF(writer.width(), writer.height()))
        document.print(writer)
        del writer  # which ends the file


def laid_out(html: str, page: QSizeF) -> QTextDocument:
    """The report as a document of pages of a size [px]."""
    document = QTextDocument()
    document.setDefaultStyleSheet(STYLE)
    drawings = CHARTS.findall(html)
    numbers = iter(range(len(drawings)))
    text = CHARTS.sub(lambda _found: f"<p>{PLACE}{next(numbers)};</p>", html)
    text = re.sub(r"<style>.*?</style>", "", text, flags=re.DOTALL)
    text = text.replace("<img ", f'<img width="{int(page.width()) - 12}" ')
    text = text.replace("<h2>", '<p style="font-size: 5pt">&nbsp;</p><h2>')
    text = text.replace("<table>", '<table width="100%" cellspacing="0">')
    document.setPageSize(page)
    document.setDocumentMargin(4.0)
    document.setHtml(text)
    layout = document.documentLayout()
    assert layout is not None
    layout.registerHandler(CHART, Charts(drawings, document))
    for number in range(len(drawings)):
        cursor = document.find(f"{PLACE}{number};")
        form = QTextCharFormat()
        form.setObjectType(CHART)
        form.setProperty(NUMBER, number)
        cursor.insertText(chr(0xFFFC), form)
    return document


def _standing_alone(svg: str, style: str) -> str:
    """A drawing out of a page as a file of its own."""
    if "xmlns=" not in svg:
        svg = svg.replace("<svg", '<svg xmlns="http://www.w3.org/2000/svg"', 1)
    end = svg.index(">") + 1
    return svg[:end] + style + svg[end:]

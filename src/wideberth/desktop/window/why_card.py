"""The card that a figure of the verdict strip opens: the chain from bench values to the figure."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from wideberth.core.verdict import Chain, source_text, why
from wideberth.desktop.session import Session
from wideberth.desktop.style import DAY

WIDTH, TALLEST, CHART_PX = 470, 560, 210


class WhyCard(QFrame):
    """One chain, link by link; a click outside or Escape closes it."""

    def __init__(self, session: Session, figure: str, over: QWidget) -> None:
        super().__init__(over.window(), Qt.WindowType.Popup)
        self.setObjectName("why")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setStyleSheet(f"QFrame#why {{ background: {DAY.card}; border: 1px solid {DAY.ink}; }}")
        self._session = session
        self.chain = _chain_of(session, figure)
        self.text = QLabel(_as_html(self.chain, session))
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.setWordWrap(True)
        self.text.setFixedWidth(WIDTH - 34)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(self.text)
        tallest = TALLEST - (CHART_PX if figure == "hold" else 0)
        area.setMinimumHeight(min(tallest, self.text.heightForWidth(WIDTH - 34) + 6))
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 10, 8, 10)
        box.addWidget(area)
        if figure == "hold" and session.has_parts:
            from wideberth.desktop.benchpage import MarginChart  # charts are slow to load

            box.addWidget(MarginChart(session))
        row = QHBoxLayout()
        row.addStretch(1)
        if self.chain.z_mm is not None:
            self.go = QPushButton("Go there")
            self.go.clicked.connect(self._go)
            row.addWidget(self.go)
        bench = QPushButton("To the bench")
        bench.setProperty("role", "quiet")
        bench.clicked.connect(self._to_bench)
        row.addWidget(bench)
        box.addLayout(row)
        self.setFixedWidth(WIDTH)
        self.adjustSize()
        corner = over.mapToGlobal(QPoint(0, over.height() + 4))
        window = over.window()
        right = window.mapToGlobal(QPoint(window.width(), 0)).x() - WIDTH - 8
        self.move(min(corner.x(), right), corner.y())

    def _go(self) -> None:
        if self.chain.z_mm is not None:
            self._session.cursor.move_to(self.chain.z_mm)
        self.close()

    def _to_bench(self) -> None:
        self._session.selection.choose_step("bench")
        self.close()


def _chain_of(session: Session, figure: str) -> Chain:
    p = session.prediction
    if p is None:
        return Chain("Nothing is predicted yet.", ())
    if p.fineness.light:
        return Chain("Coarse figures so far; the reasons come with the fine ones, in a moment.", ())
    return why(figure, p.printed, p.loads, p.job.bench, p.verdict)


def _as_html(chain: Chain, session: Session) -> str:
    """The chain as a table: what and its terms on the left, results on the right, bench values with their sources beneath."""
    p = session.prediction
    rows = []
    for link in chain.links:
        keys = "<br>".join(escape(source_text(p.job.bench, key)) for key in link.keys) if p is not None else ""
        beneath = f"<div style='color:{DAY.faint}; font-size:9.5pt; font-style:italic'>{keys}</div>" if keys else ""
        rows.append(
            f"<tr><td style='padding:4px 12px 4px 0'><div>{escape(link.what)}</div>"
            f"<div style='color:{DAY.faint}'>{escape(link.terms)}</div>{beneath}</td>"
            f"<td align='right' style='padding:4px 0; white-space:nowrap'>{escape(link.result)}</td></tr>"
        )
    return f"<div style='font-size:12pt'>{escape(chain.title)}</div><table width='100%'>{''.join(rows)}</table>"

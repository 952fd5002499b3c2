"""The verdict strip: always visible, each figure with its unit and a click to what decides it."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QColor, QFontMetrics, QKeyEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from wideberth.core.bench import fitted_prints, tested_text
from wideberth.core.predict import Prediction
from wideberth.core.units import duration_range_text, money_text
from wideberth.core.verdict import is_weak
from wideberth.desktop.glossary import head_of
from wideberth.desktop.session import Session
from wideberth.desktop.style import DAY, ElidedLabel, PlainLabel, tip, typeface
from wideberth.desktop.window.why_card import WhyCard
from wideberth.desktop.words import count, hours_text, margin_text

FIGURE_SHARES = (26, 19, 23, 17, 16, 19, 12)
"""Of the strip's width, by how much each figure has to say."""
ASKS_FROM_PX = 1160
"""Width of the window from which on each figure says that it can be asked."""


@dataclass(frozen=True)
class Reading:
    """One figure of the strip: text, what it is, whether it warns, its height, the reason, and the name of its chain."""

    value: str
    label: str
    warns: bool = False
    z_mm: float | None = None
    why: str = ""
    figure: str = ""


def readings(prediction: Prediction) -> list[Reading]:
    """The strip's figures, in order."""
    v, t = prediction.verdict, prediction.verdict.totals
    hold = v.weakest
    by_tip = v.hold_margin is not None and hold == v.hold_margin
    z = v.hold_z_mm if by_tip else v.plate_z_mm
    holder = f"tip {v.weakest_tip + 1}" if by_tip and v.weakest_tip is not None else "a piece" if by_tip else "plate"
    carries = f"{holder} can carry {hold:.1f} times its load; " if hold else ""
    why = (
        f"{carries}the least of capacity over load, of every tip at its worst layer, and of the plate with its edge moment; "
        f"below ×1 it lets go, to ×{prediction.job.bench.house.margin_doubtful:g} it is doubtful; "
        "the range is that of the coefficients"
    )
    held = f"hold {_range(prediction, by_tip)}· {holder}, {z:.1f} mm"
    hangs_on_nothing = by_tip and hold == 0
    if hangs_on_nothing:
        held = f"hangs on nothing · {z:.1f} mm"
    suction_at = f"greatest suction · {v.suction_z_mm:.1f} mm" if v.suction_n > 0 else "no cup closes on the film"
    price = "not priced" if t.price is None else money_text(t.price, t.currency)
    return [
        Reading(
            "not held" if hangs_on_nothing else margin_text(hold),
            held if hold is not None else "nothing stands yet",
            is_weak(hold, prediction.job.bench.house),
            z,
            why,
            "hold",
        ),
        Reading(
            f"{v.pull_n:.1f} N",
            f"part's pull · {v.pull_z_mm:.1f} mm",
            False,
            v.pull_z_mm,
            f"{head_of('pull')}: peel of all components and suction of all cups of the parts in a layer. "
            f"Base and supports alone pull {v.base_pull_n:.1f} N at {v.base_pull_z_mm:.1f} mm",
            "pull",
        ),
        Reading(
            f"{v.suction_n:.1f} N",
            suction_at,
            v.suction_n > 10,
            v.suction_z_mm,
            f"{head_of('suction')}: area of the openings times what holes and narrow ways leave of the lift's pressure",
            "suction",
        ),
        Reading(
            f"{v.trapped_ml:.1f} mL",
            "trapped when done",
            v.trapped_ml > 0.05,
            None,
            "voids of the part with no way out once it is off the plate and its supports are off",
            "trapped",
        ),
        Reading(
            hours_text(t.seconds),
            duration_range_text(t.seconds_low, t.seconds_high),
            False,
            None,
            "waits, exposure and motion of every layer; the range is the bench's, that prints narrow",
            "time",
        ),
        Reading(
            f"{t.resin_ml:.1f} mL",
            f"resin · {t.support_ml:.1f} supports",
            False,
            None,
            "part, supports, base, and a skin that clings to the wetted surface",
            "resin",
        ),
        Reading(
            price,
            "resin" if t.price is not None else "resin has no price",
            False,
            None,
            "resin at its price per litre; film, screen, labour and failures are not in it",
            "price",
        ),
    ]


def _range(prediction: Prediction, by_tip: bool) -> str:
    """The weakest margin's range, by the ranges of the coefficients; what hangs on nothing has none."""
    ranges = prediction.loads.ranges
    ends = ranges.weakest_hold if by_tip else ranges.weakest_plate
    return "" if ends is None else f"{ends[0]:.1f} to {ends[1]:.1f} "


class _Figure(QWidget):
    """One figure; a click, or Return, moves the height cursor to where it comes from and says why it is what it is."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._z: float | None = None
        self._figure = ""
        self.card: WhyCard | None = None
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.value, self.label = PlainLabel("–"), ElidedLabel("")
        self.value.setFont(typeface(15))
        self.label.setFont(typeface(9.5))
        self.label.setProperty("role", "faint")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        self.ask = PlainLabel("why?")
        self.ask.setStyleSheet(f"color: {DAY.faint}; font-size: 9.5pt; text-decoration: underline;")
        top = QHBoxLayout()
        top.setSpacing(7)
        top.addWidget(self.value)
        top.addWidget(self.ask, 0, Qt.AlignmentFlag.AlignBottom)
        top.addStretch(1)
        box.addLayout(top)
        box.addWidget(self.label)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def show_reading(self, r: Reading) -> None:
        self.value.setText(r.value)
        self.value.setStyleSheet(f"color: {DAY.hazard if r.warns else DAY.ink}; font-size: 15pt;")
        self.label.setText(r.label)
        self.setToolTip(f"{r.label}\n{r.why}" if r.why else r.label)
        self._z, self._figure = r.z_mm, r.figure
        self.ask.setVisible(bool(r.figure) and self.window().width() >= ASKS_FROM_PX)
        self.setCursor(Qt.CursorShape.PointingHandCursor if r.figure else Qt.CursorShape.ArrowCursor)
        self.setAccessibleName(f"{r.label}: {r.value}")

    def mousePressEvent(self, _event: object) -> None:
        self._open()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._open()
        else:
            super().keyPressEvent(event)

    def _open(self) -> None:
        if self._z is not None:
            self._session.cursor.move_to(self._z)
        if self._figure:
            self.card = WhyCard(self._session, self._figure, self)
            self.card.destroyed.connect(self._closed)
            self.card.show()

    def _closed(self) -> None:
        self.card = None


class _Title(PlainLabel):
    """A name on one line, or smaller on two where it is long; what is longer still ends in dots."""

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.setPen(QColor(DAY.ink))
        painter.setFont(typeface(14))
        text, left = self.text(), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        if QFontMetrics(painter.font()).horizontalAdvance(text) <= self.width():
            painter.drawText(self.rect(), left, text)
            return
        painter.setFont(typeface(10))
        metrics = QFontMetrics(painter.font())
        first = text
        while " " in first and metrics.horizontalAdvance(first) > self.width():
            first = first.rsplit(" ", 1)[0]
        lines = (first, text[len(first) :].strip())
        for number, line in enumerate(lines):
            place = QRect(0, number * self.height() // 2, self.width(), self.height() // 2)
            painter.drawText(place, left, metrics.elidedText(line, Qt.TextElideMode.ElideRight, self.width()))


class VerdictStrip(QWidget):
    """Title, plate and the figures of the prediction at hand; says so when these are coarse or being recomputed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self.title, self.subtitle = _Title(""), ElidedLabel("")
        self.title.setFont(typeface(14))
        self.title.setStyleSheet("font-size: 14pt;")
        self.subtitle.setProperty("role", "reason")
        names = QVBoxLayout()
        names.setSpacing(0)
        self.title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.title.setMinimumWidth(150)
        self.title.setMinimumHeight(28)
        names.addWidget(self.title)
        names.addWidget(self.subtitle)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 7, 20, 7)
        row.setSpacing(16)
        row.addLayout(names, 20)
        self.figures = [_Figure(session) for _ in FIGURE_SHARES]
        for figure, share in zip(self.figures, FIGURE_SHARES, strict=True):
            row.addWidget(figure, share)
        session.document.changed.connect(self.refresh)
        session.predicting.predicted.connect(self.refresh)
        session.predicting.plate_turned.connect(self.refresh)
        self.refresh()

    def resizeEvent(self, _event: QResizeEvent) -> None:
        self.refresh()

    def refresh(self) -> None:
        job, prediction = self._session.job, self._session.prediction
        self.title.setText(job.title)
        self.title.setToolTip(tip(job.title))
        plate = job.bench.printer
        size = f"{plate.plate_x_mm:.0f} × {plate.plate_y_mm:.0f} mm"
        fitted = fitted_prints(job.bench)
        tested = f"fitted from {count(fitted, 'print')}" if fitted else tested_text(job.bench)
        state = tested if self._session.is_current or not self._session.has_parts else "recomputing"
        if prediction is not None and self._session.predicting.is_of_now(prediction) and prediction.fineness.light:
            state = "coarse, refining"
        several = len(job.plates) > 1
        which = f"{job.plate(self._session.predicting.plate).name} · " if several else ""
        self.subtitle.setText(f"{which}{plate.name} · {state}")
        self.subtitle.setToolTip(
            tip(
                f"{plate.name}, plate {size}. The bench is {tested}: an exposure test of your own, kept on the "
                "Bench page, says whether these values hold here."
            )
        )
        if prediction is None:
            for figure in self.figures:
                figure.show_reading(Reading("–", ""))
            return
        for figure, reading in zip(self.figures, readings(prediction), strict=True):
            figure.show_reading(reading)
        self.setEnabled(self._session.predicting.is_of_now(prediction))

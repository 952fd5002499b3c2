"""The checklist, to be read from two metres: one key ticks, one takes back, timers ring."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QApplication, QScrollArea, QVBoxLayout, QWidget

from wideberth.core.plan import Item, Phase
from wideberth.desktop.session import Session
from wideberth.desktop.session.ticking import Ticking
from wideberth.desktop.steps.fields import label
from wideberth.desktop.steps.leaves import Leaves
from wideberth.desktop.style import DAY, typeface

LARGE, SMALL = 17.0, 11.5
BOX, GAP, EDGE = 22.0, 12.0, 8.0


class CheckSheet(QWidget):
    """Phases as leaves over the list of the open one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._phases: tuple[Phase, ...] = ()
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(8)
        self.tabs: Leaves | None = None
        self.lines = CheckLines(session.ticking)
        self.begun = label("", "faint")
        self.box.addWidget(self.begun)
        room = QScrollArea()
        room.setWidgetResizable(True)
        room.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        room.setWidget(self.lines)
        self.lines.reached.connect(lambda y: room.ensureVisible(0, int(y), 0, 120))
        self.box.addWidget(room, 1)
        session.ticking.changed.connect(self._tell_begun)
        self._tell_begun()

    def refresh(self) -> None:
        """Show the lists of what is known; what was ticked stays so."""
        known = self._session.planning.known
        phases = known.checklist if known is not None else ()
        if phases == self._phases:
            return
        names = [p.name for p in phases]
        if names and self.tabs is None:
            self.tabs = Leaves(names)
            self.tabs.turned.connect(self.turn_to)
            self.box.insertWidget(0, self.tabs)
        self._phases = phases
        self.turn_to(self.tabs.turned_name if self.tabs is not None and names else "")

    def _tell_begun(self) -> None:
        """Of which run the ticks are: one must not take those of the last for one's own."""
        began = self._session.ticking.ticks.began
        self.begun.setVisible(began is not None)
        if began is not None:
            self.begun.setText(f"begun on {began.astimezone():%A, %d %B, %H:%M}")

    def turn_to(self, name: str) -> None:
        """Open the list of a phase."""
        if self.tabs is not None and name:
            self.tabs.show_turned(name)
        self.lines.show_phase(next((p for p in self._phases if p.name == name), None))
        self.lines.setFocus()


class CheckLines(QWidget):
    """Signals: reached (height of the line that is next).

    Space ticks the next line, Backspace takes the last tick back, T starts the timer of the next line; a click does either.
    """

    reached = Signal(float)

    def __init__(self, ticking: Ticking) -> None:
        super().__init__()
        self.ticking = ticking
        self.phase: Phase | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("checklist")
        ticking.changed.connect(self._show_next)
        ticking.rang.connect(self._ring)
        self._ahead: Item | None = None

    def show_phase(self, phase: Phase | None) -> None:
        """Show the list of a phase."""
        self.phase = phase
        self.updateGeometry()
        self.setMinimumHeight(int(self._height()))
        self.update()

    @property
    def items(self) -> tuple[Item, ...]:
        return () if self.phase is None else self.phase.items

    @property
    def _name(self) -> str:
        return self.phase.name if self.phase is not None else ""

    def has(self, item: Item) -> bool:
        """Whether a line of the open list is ticked."""
        return self.ticking.has(self._name, item)

    @property
    def next_item(self) -> Item | None:
        """The first line that is not ticked."""
        return next((i for i in self.items if not self.has(i)), None)

    # ticking

    def tick(self, item: Item, on: bool = True) -> None:
        """Tick a line, or take its tick back."""
        self.ticking.tick(self._name, item, on)

    def start(self, item: Item) -> None:
        """Start a line's timer."""
        self.ticking.start(self._name, item)

    def _show_next(self) -> None:
        """Another line may be the next one: it comes into sight."""
        self.update()
        at, self._ahead = self._ahead, self.next_item
        if self._ahead is not None and self._ahead is not at:
            self.reached.emit(self._place(self._ahead).center().y())

    def _ring(self) -> None:
        QApplication.beep()
        QApplication.alert(self.window())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        item = self.next_item
        if event.key() == Qt.Key.Key_Space and item is not None:
            self.tick(item)
        elif event.key() == Qt.Key.Key_T and item is not None:
            self.start(item)
        elif event.key() == Qt.Key.Key_Backspace:
            done = [i for i in self.items if self.has(i)]
            if done:
                self.tick(done[-1], False)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        for item in self.items:
            place = self._place(item)
            if place.contains(event.position()):
                if item.timer_min is not None and event.position().x() > place.right() - self._timer_px:
                    self.start(item)
                else:
                    self.tick(item, not self.has(item))

    # drawing

    @property
    def _timer_px(self) -> float:
        return QFontMetricsF(typeface(LARGE)).horizontalAdvance("start 00 min") + 2 * EDGE

    def _text_wide(self, item: Item) -> float:
        return self.width() - 2 * EDGE - BOX - GAP - (self._timer_px if item.timer_min is not None else 0.0)

    def _tall(self, item: Item) -> float:
        wide = max(self._text_wide(item), 80.0)
        tall = _wrapped(item.text, LARGE, wide)
        if item.caution:
            tall += _wrapped(f"{item.caution}. {item.caution_text}", SMALL, wide) + 2
        return max(tall, BOX) + 2 * EDGE

    def _height(self) -> float:
        return sum(self._tall(i) for i in self.items) + EDGE

    def _place(self, item: Item) -> QRectF:
        y = EDGE / 2
        for one in self.items:
            tall = self._tall(one)
            if one is item:
                return QRectF(0, y, self.width(), tall)
            y += tall
        return QRectF()

    def sizeHint(self) -> QSize:
        return QSize(400, int(self._height()))

    def resizeEvent(self, _event: object) -> None:
        self.setMinimumHeight(int(self._height()))

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), QColor(DAY.card))
            y, ahead = EDGE / 2, self.next_item
            for item in self.items:
                tall = self._tall(item)
                self._draw(painter, item, QRectF(0, y, self.width(), tall), item is ahead)
                y += tall

    def _draw(self, painter: QPainter, item: Item, place: QRectF, is_next: bool) -> None:
        done = self.has(item)
        if is_next:
            painter.fillRect(place, QColor(DAY.water))
        painter.setPen(QPen(QColor(DAY.rule), 1.0))
        painter.drawLine(place.bottomLeft(), place.bottomRight())
        box = QRectF(EDGE, place.top() + EDGE + 2, BOX - 2, BOX - 2)
        painter.setPen(QPen(QColor(DAY.ink), 1.8))
        painter.setBrush(QColor(DAY.ink) if done else QColor(DAY.card))
        painter.drawEllipse(box)
        left, wide = EDGE + BOX + GAP, self._text_wide(item)
        painter.setPen(QColor(DAY.faint if done else DAY.ink))
        painter.setFont(typeface(LARGE))
        tall = _wrapped(item.text, LARGE, wide)
        painter.drawText(QRectF(left, place.top() + EDGE, wide, tall), Qt.TextFlag.TextWordWrap, item.text)
        if item.caution:
            painter.setFont(typeface(SMALL, italic=True))
            painter.setPen(QColor(DAY.hazard))
            below = QRectF(left, place.top() + EDGE + tall + 2, wide, place.height())
            painter.drawText(below, Qt.TextFlag.TextWordWrap, f"{item.caution}. {item.caution_text}")
        if item.timer_min is not None and not done:
            self._draw_timer(painter, item, place)

    def _draw_timer(self, painter: QPainter, item: Item, place: QRectF) -> None:
        left = self.ticking.left_s(self._name, item)
        where = QRectF(place.right() - self._timer_px, place.top() + EDGE, self._timer_px - EDGE, BOX + 6)
        if left is None:
            text, colour = f"start {item.timer_min:.0f} min", DAY.ink
        elif left == 0:
            text, colour = "over", DAY.hazard
        else:
            text, colour = f"{int(left // 60)}:{int(left % 60):02d}", DAY.ink
        painter.setPen(QPen(QColor(colour), 1.2))
        painter.setBrush(QColor(DAY.card))
        painter.drawRect(where)
        painter.setFont(typeface(LARGE))
        painter.drawText(where, Qt.AlignmentFlag.AlignCenter, text)


def _wrapped(text: str, points: float, wide_px: float) -> float:
    """How tall a text is in a column."""
    measure = QFontMetricsF(typeface(points))
    return measure.boundingRect(QRectF(0, 0, wide_px, 10_000), Qt.TextFlag.TextWordWrap, text).height()

"""The plan view: the plate from above; prints are chosen, dragged and turned on it."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from wideberth.core.bench import Zone
from wideberth.core.job import Placed, Placement
from wideberth.core.plate import Stood
from wideberth.desktop.plan.drawing import (
    HANDLE_PX,
    Labels,
    draw_gap,
    draw_ghost,
    draw_plate,
    draw_print,
    draw_ring,
    draw_zone,
    name_print,
    paths_of,
    reaches_into,
    ring_of,
)
from wideberth.desktop.plan.ruler import BAND, MARK, Sheet, draw_border
from wideberth.desktop.session import Session
from wideberth.desktop.steps.plate import Hands, PlateFacts
from wideberth.desktop.style import DAY, typeface
from wideberth.desktop.words import margin_text

HEAD, FOOT, SIDE = 28.0, 22.0, 6.0
ROUND_PLATE = 1.04
"""How much more than the plate is shown of its plane."""
CLOSEST, CLICK_PX = 30.0, 3.0
NUDGE_MM, FAR_NUDGE_MM = 1.0, 10.0
SNAP_DEG = 5.0
NUDGES = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
HINT = "drag: move prints, or choose several · ring: turn · wheel: zoom · middle drag: move the sheet · double click: whole plate"


class PlanView(QWidget):
    """The plate that is shown, with its prints where the recipe has them; figures follow as the prediction does."""

    def __init__(self, session: Session, facts: PlateFacts, hands: Hands) -> None:
        super().__init__()
        self._session, self._facts, self._hands = session, facts, hands
        self._zoom, self._middle = 1.0, (0.0, 0.0)
        self._grip = ""
        """What the mouse holds: "print", "ring", "box" or "sheet"; "" for nothing."""
        self._press, self._last = QPointF(), QPointF()
        self.setMinimumSize(150, 150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Plan of the plate")
        self.setToolTip(HINT)
        facts.changed.connect(self.update)
        hands.chosen_changed.connect(self.update)
        hands.lifted.connect(self.update)
        session.document.changed.connect(self.update)
        session.selection.plate_chosen.connect(self.update)

    # where things lie

    def _size_mm(self) -> tuple[float, float]:
        printer = self._session.job.bench.printer
        return printer.plate_x_mm, printer.plate_y_mm

    @property
    def _zones(self) -> tuple[Zone, ...]:
        return self._session.job.bench.printer.zones

    def sheet(self) -> Sheet:
        """How the plan lies in the widget now."""
        area = QRectF(self.rect()).adjusted(SIDE + MARK + BAND, HEAD + BAND, -SIDE - BAND, -FOOT - MARK - BAND)
        wide, deep = self._size_mm()
        fit = min(max(area.width(), 10.0) / (ROUND_PLATE * wide), max(area.height(), 10.0) / (ROUND_PLATE * deep))
        return Sheet(area, fit * self._zoom, self._middle if self._zoom > 1.0 else (0.0, 0.0))

    def print_at(self, at: QPointF) -> str:
        """Id of the print under a point of the widget; a part before the supports of another. "" where there is none."""
        spot = QPointF(*self.sheet().spot(at))
        there = [(p.placement.id, paths_of(s)) for p in reversed(self._hands.placed) if (s := self._hands.stood(p.placement))]
        hit = [id for which in (0, 1) for id, paths in there if paths[which].contains(spot)]
        return hit[0] if hit else ""

    # drawing

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(DAY.card))
        sheet, hands = self.sheet(), self._hands
        painter.save()
        painter.setClipRect(sheet.area)
        painter.fillRect(sheet.area, QColor(DAY.water))
        draw_plate(painter, sheet, self._size_mm())
        for zone in self._zones:
            draw_zone(painter, sheet, zone)
        placed = hands.placed
        self._draw_prints(painter, sheet, placed)
        boxes = self._boxes(sheet, placed)
        labels = Labels(painter, sheet.area, list(boxes.values()))
        self._name_prints(labels, boxes, placed)
        if not hands.in_hand and self._facts.is_current:
            for gap in sorted(self._facts.gaps, key=lambda g: g.gap_mm):
                draw_gap(painter, labels, sheet, gap, self._session.job.bench.house.apart_mm)
        self._draw_grip(painter, sheet)
        painter.restore()
        draw_border(painter, sheet)
        self._frame(painter, placed)

    def _draw_prints(self, painter: QPainter, sheet: Sheet, placed: tuple[Placed, ...]) -> None:
        hands = self._hands
        for each in placed:
            id, stood = each.placement.id, hands.stood(each.placement)
            if stood is None:
                continue
            if id in hands.in_hand:
                draw_ghost(painter, sheet, stood)
            else:
                wrong = id in hands.blocked or self._is_off(stood) or self._touches(id)
                draw_print(painter, sheet, stood, id in hands.chosen, wrong, False)
        for held in hands.in_hand.values():
            if (stood := hands.stood(held)) is not None:
                draw_print(painter, sheet, stood, True, bool(hands.blocked), True)

    def _is_off(self, stood: Stood) -> bool:
        """Whether a print reaches over the plate's edge, or into a zone that is kept free."""
        over = bool((np.abs(stood.box_mm) > 0.5 * np.array(self._size_mm()) + 1e-6).any())
        return over or any(reaches_into(stood, zone) for zone in self._zones)

    def _touches(self, id: str) -> bool:
        return self._facts.is_current and any(id in (g.one, g.other) and g.gap_mm <= 1e-6 for g in self._facts.gaps)

    def _boxes(self, sheet: Sheet, placed: tuple[Placed, ...]) -> dict[str, QRectF]:
        """Where each print lies in the widget, by its id."""
        boxes = {}
        for each in placed:
            stood = self._hands.stood(self._hands.in_hand.get(each.placement.id, each.placement))
            if stood is not None:
                (left, low), (right, high) = stood.box_mm.tolist()
                boxes[each.placement.id] = QRectF(sheet.point(left, high), sheet.point(right, low))
        return boxes

    def _name_prints(self, labels: Labels, boxes: dict[str, QRectF], placed: tuple[Placed, ...]) -> None:
        for each in placed:
            id = each.placement.id
            if id in boxes:
                name_print(labels, boxes[id], each, self._facts.told.get(id) if self._facts.is_current else None)

    def _draw_grip(self, painter: QPainter, sheet: Sheet) -> None:
        """The ring of the one print that is chosen, or the rectangle that chooses."""
        one = self._one()
        if one is not None and self._grip != "box":
            placement = self._hands.placement(one)
            stood = self._hands.stood(placement)
            if stood is not None and not placement.pinned:
                draw_ring(painter, sheet, stood, placement)
        if self._grip == "box":
            painter.setPen(QPen(QColor(DAY.ink), 1.0, Qt.PenStyle.DashLine))
            wash = QColor(DAY.deep)
            wash.setAlpha(60)
            painter.setBrush(wash)
            painter.drawRect(QRectF(self._press, self._last).normalized())

    def _one(self) -> str | None:
        """The print that is chosen, if it is one alone."""
        return self._hands.chosen[0] if len(self._hands.chosen) == 1 else None

    def _frame(self, painter: QPainter, placed: tuple[Placed, ...]) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(DAY.ink), 1.4))
        painter.drawRect(QRectF(self.rect()).adjusted(0.7, 0.7, -0.7, -0.7))
        wide, deep = self._size_mm()
        job = self._session.job
        name = job.plate(self._hands.plate).name if job.plates else "Plate"
        painter.setFont(typeface(10.5))
        self._line(painter, 18.0, f"Plan · {name} · {wide:g} × {deep:g} mm")
        painter.setFont(typeface(9.5, italic=True))
        told = self._told(placed)
        painter.setPen(QColor(DAY.hazard if self._hands.blocked else DAY.ink))
        self._line(painter, self.height() - 7.0, told)

    def _line(self, painter: QPainter, y: float, text: str) -> None:
        room = self.width() - 20.0
        painter.drawText(QPointF(10.0, y), QFontMetricsF(painter.font()).elidedText(text, Qt.TextElideMode.ElideRight, room))

    def _told(self, placed: tuple[Placed, ...]) -> str:
        """What the foot says: of what is in hand, of the print that is chosen, else how things are done."""
        hands = self._hands
        names = {p.placement.id: p.name for p in placed}
        if hands.in_hand:
            if hands.blocked:
                return "would touch " + ", ".join(names[i] for i in names if i in hands.blocked)
            one, *_ = hands.in_hand.values()
            return f"{names[one.id]} · {_where(one)}"
        one_chosen = self._one()
        if one_chosen is None or one_chosen not in names:
            return HINT
        at = hands.placement(one_chosen)
        text = f"{names[one_chosen]} · {_where(at)}"
        told = self._facts.told.get(one_chosen) if self._facts.is_current else None
        if told is None:
            return text
        text += f" · {told.weight_g:.1f} g · pulls {told.pull_n:.1f} N at layer {told.pull_layer + 1}"
        if not math.isinf(told.margin):
            text += f" · holds {margin_text(told.margin)}"
        return text + (f" · one body with {', '.join(told.joined)}" if told.joined else "")

    # the mouse

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self._press = self._last = at
        if event.button() == Qt.MouseButton.MiddleButton:
            self._grip = "sheet"
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        more = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if self._on_ring(at) and not more and self._hands.lift():
            self._grip = "ring"
            return
        id, chosen = self.print_at(at), self._hands.chosen
        if not id:
            self._grip = "box"
        elif more:
            self._hands.choose([c for c in chosen if c != id] if id in chosen else [*chosen, id])
        else:
            self._hands.choose(chosen if id in chosen else [id])
            self._grip = "print"

    def _on_ring(self, at: QPointF) -> bool:
        one = self._one()
        if one is None:
            return False
        placement = self._hands.placement(one)
        stood = self._hands.stood(placement)
        if stood is None or placement.pinned:
            return False
        handle = ring_of(self.sheet(), stood, placement)[2]
        return math.hypot(at.x() - handle.x(), at.y() - handle.y()) <= HANDLE_PX + 3

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at, sheet = event.position(), self.sheet()
        self._hands.may_touch = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if self._grip == "print":
            self._drag(at, sheet)
        elif self._grip == "ring":
            self._swing(at, sheet, event.modifiers())
        elif self._grip == "box":
            self._last = at
            self.update()
        elif self._grip == "sheet" and self._zoom > 1.0:
            off = at - self._last
            self._middle = (self._middle[0] - off.x() / sheet.scale, self._middle[1] + off.y() / sheet.scale)
            self._last = at
            self.update()
        else:
            over = self._on_ring(at)
            shape = Qt.CursorShape.CrossCursor if over else Qt.CursorShape.OpenHandCursor if self.print_at(at) else None
            self.setCursor(Qt.CursorShape.ArrowCursor if shape is None else shape)

    def _drag(self, at: QPointF, sheet: Sheet) -> None:
        off = at - self._press
        if not self._hands.in_hand and (math.hypot(off.x(), off.y()) < CLICK_PX or not self._hands.lift()):
            return
        self._hands.carry(off.x() / sheet.scale, -off.y() / sheet.scale)

    def _swing(self, at: QPointF, sheet: Sheet, keys: Qt.KeyboardModifier) -> None:
        turning = [p.placement for p in self._hands.placed if p.placement.id in self._hands.in_hand]
        if not turning:  # the job has changed under the hand
            return
        stood = turning[0]
        off = at - sheet.point(stood.x_mm, stood.y_mm)
        turn = math.degrees(math.atan2(-off.y(), off.x())) - 90.0
        step = 1.0 if keys & Qt.KeyboardModifier.ShiftModifier else SNAP_DEG
        self._hands.swing(round(turn / step) * step - stood.turn_deg)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        hands, grip = self._hands, self._grip
        self._grip = ""
        hands.may_touch = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        names = {p.placement.id: p.name for p in hands.placed}
        if grip in ("print", "ring") and hands.in_hand:
            moved = ", ".join(names[id] for id in list(hands.in_hand)[:1] if id in names)
            hands.set_down(f"{'turn' if grip == 'ring' else 'move'} {moved} on the plan")
        elif grip == "print" and len(hands.chosen) > 1:
            hands.choose([self.print_at(event.position())])
        elif grip == "box":
            self._choose_within(QRectF(self._press, event.position()).normalized(), event.modifiers())
        hands.may_touch = False
        self.update()

    def _choose_within(self, rect: QRectF, keys: Qt.KeyboardModifier) -> None:
        """Choose all prints whose own place lies in a rectangle of the widget."""
        sheet = self.sheet()
        inside = [p.placement for p in self._hands.placed if rect.contains(sheet.point(p.placement.x_mm, p.placement.y_mm))]
        kept = self._hands.chosen if keys & Qt.KeyboardModifier.ShiftModifier else ()
        self._hands.choose([*kept, *(p.id for p in inside)])

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self._zoom = 1.0
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        before = self.sheet().spot(event.position())
        if self._zoom <= 1.0:
            self._middle = (0.0, 0.0)
        self._zoom = min(max(self._zoom * (1.25 if event.angleDelta().y() > 0 else 0.8), 1.0), CLOSEST)
        after = self.sheet().spot(event.position())
        self._middle = (self._middle[0] + before[0] - after[0], self._middle[1] + before[1] - after[1])
        self.update()
        event.accept()

    # keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in NUDGES and not event.modifiers() & Qt.KeyboardModifier.AltModifier:
            far = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            x, y = NUDGES[key]
            by = FAR_NUDGE_MM if far else NUDGE_MM
            self._hands.nudge(x * by, y * by)
        elif key == Qt.Key.Key_Insert:
            self._hands.one_more()
        elif key == Qt.Key.Key_Escape and self._grip:
            self._grip = ""
            self._hands.let_go()
        else:
            super().keyPressEvent(event)


def _where(placement: Placement) -> str:
    """Place and turn of a print."""
    return f"x {placement.x_mm:.1f} mm · y {placement.y_mm:.1f} mm · {placement.turn_deg:g}°".replace("-", "−")

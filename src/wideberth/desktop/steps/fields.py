"""Controls that all steps share: numbers with a unit that can be typed as arithmetic, and small labels."""

from __future__ import annotations

import ast
import operator
from collections.abc import Callable

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLayout, QLineEdit, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from wideberth.core.units import LENGTH_UNITS_MM
from wideberth.desktop.session.sight import Sight
from wideberth.desktop.session.tool import Tool
from wideberth.desktop.style import PlainLabel

_OPERATORS: dict[type, Callable[[float, float], float]] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv,
}  # fmt: skip


def evaluated(text: str, unit: str) -> float:
    """The value of typed arithmetic such as `2*25.4`, `1/12` or, for lengths, `3 in`.

    Raises
    ------
    ValueError : when it is no arithmetic of plain numbers.
    """
    text = text.strip().replace("×", "*").replace(",", ".")
    factor = 1.0
    if unit == "mm":
        for name in sorted(LENGTH_UNITS_MM, key=len, reverse=True):
            if text.lower().endswith(name):
                factor, text = LENGTH_UNITS_MM[name], text[: -len(name)]
                break
    elif unit and text.endswith(unit):
        text = text[: -len(unit)]
    text = text.replace("°", "")
    try:
        return _value(ast.parse(text.strip(), mode="eval").body) * factor
    except (SyntaxError, ZeroDivisionError, RecursionError, MemoryError, OverflowError) as error:
        raise ValueError(text) from error


def _value(node: ast.AST) -> float:
    if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
        return float(node.value)
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
        return _OPERATORS[type(node.op)](_value(node.left), _value(node.right))
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub | ast.UAdd):
        return -_value(node.operand) if isinstance(node.op, ast.USub) else _value(node.operand)
    raise ValueError(ast.dump(node))


class NumberField(QWidget):
    """A labelled number with its unit. Enter or leaving takes it over, arrows step it, Escape brings the old one back.

    One that may be unset shows a word while it is, `unset`, and is emptied to be so again. Signals: entered, cleared.
    """

    entered = Signal(float)
    cleared = Signal()

    def __init__(self, label: str, unit: str, low: float, high: float, step: float, hint: str = "", unset: str = "") -> None:
        super().__init__()
        self.unit, self.low, self.high, self.step, self._unset = unit, low, high, step, unset
        self._value = low
        self._is_unset = False
        self.edit = QLineEdit()
        self.edit.setAccessibleName(f"{label}, {unit}" if unit else label)
        self.edit.setToolTip(hint or f"{low:g} to {high:g} {unit}; arithmetic is understood")
        self.edit.editingFinished.connect(self._take)
        self.edit.installEventFilter(self)
        caption = PlainLabel(label)
        caption.setProperty("role", "faint")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        box.addWidget(caption)
        box.addWidget(self.edit)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    @property
    def value(self) -> float:
        return self._value

    def set_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        self._value, self._is_unset = value, False
        if not self.edit.hasFocus() or not self.edit.isModified():
            self.edit.setText(self._text(value))
            self._mark(False)

    def unset(self) -> None:
        """Show that there is no value, without telling anyone."""
        self._is_unset = True
        if not self.edit.hasFocus() or not self.edit.isModified():
            self.edit.setText(self._unset)
            self._mark(False)

    def _text(self, value: float) -> str:
        return f"{value:.4g} {self.unit}".strip() if abs(value) < 1000 else f"{value:.0f} {self.unit}".strip()

    def _mark(self, bad: bool) -> None:
        if bool(self.edit.property("bad")) != bad:
            self.edit.setProperty("bad", bad)
            self.edit.style().unpolish(self.edit)
            self.edit.style().polish(self.edit)

    def _take(self) -> None:
        if not self.edit.isModified():
            return
        if self._unset and self.edit.text().strip() in ("", self._unset):
            self.edit.setModified(False)
            was_set = not self._is_unset
            self.unset()
            if was_set:
                self.cleared.emit()
            return
        try:
            value = evaluated(self.edit.text(), self.unit)
        except ValueError:
            value = float("nan")
        if not self.low <= value <= self.high:
            self._mark(True)
            self.edit.setToolTip(f"between {self.low:g} and {self.high:g} {self.unit}; still {self._text(self._value)}")
            return
        self.edit.setModified(False)
        self.edit.setText(self._text(value))
        self._mark(False)
        if value != self._value or self._is_unset:
            self._value, self._is_unset = value, False
            self.entered.emit(value)

    def enter(self, value: float) -> None:
        """As if typed and confirmed."""
        self.edit.setText(str(value))
        self.edit.setModified(True)
        self._take()

    def eventFilter(self, watched, event) -> bool:  # type: ignore[no-untyped-def]
        if event.type() == QEvent.Type.ShortcutOverride and not self.edit.isModified() and _is_undo(event):
            event.ignore()  # the job's undo, unless something is being typed
            return True
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                way = 1 if event.key() == Qt.Key.Key_Up else -1
                self.enter(min(max(round(self._value + way * self.step, 6), self.low), self.high))
                return True
            if event.key() == Qt.Key.Key_Escape and self.edit.isModified():
                self.edit.setModified(False)
                self.unset() if self._is_unset else self.set_value(self._value)
                return True
        return super().eventFilter(watched, event)


def _is_undo(event: QKeyEvent) -> bool:
    return event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo)


def button(text: str, act: Callable[[], None], role: str = "", tip: str = "") -> QPushButton:
    """A button; `main` for the step's own deed, `quiet` for small ones."""
    made = QPushButton(text)
    if role:
        made.setProperty("role", role)
    made.setToolTip(tip)
    made.clicked.connect(lambda _checked=False: act())
    return made


def tool_button(text: str, sight: Sight, tool: Tool, hint: str = "") -> QPushButton:
    """A button that takes a tool up for the 3D view and lays it down, and shows whether it is in hand."""
    made = QPushButton(text)
    made.setCheckable(True)
    made.setToolTip(hint)
    made.clicked.connect(lambda on: sight.take_up(tool) if on else sight.lay_down(tool))
    sight.tool_changed.connect(lambda: made.setChecked(sight.tool is tool))
    return made


def captioned(text: str, widget: QWidget) -> QWidget:
    """A control under a small caption, as number fields have it."""
    made = QWidget()
    box = QVBoxLayout(made)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(2)
    caption = PlainLabel(text)
    caption.setProperty("role", "faint")
    box.addWidget(caption)
    box.addWidget(widget)
    return made


def label(text: str, role: str = "", rich: bool = False) -> QLabel:
    """A label that wraps; `rich` : whether it takes markup, and whoever writes it takes care of names."""
    made = QLabel(text) if rich else PlainLabel(text)
    made.setWordWrap(True)
    if role:
        made.setProperty("role", role)
    return made


def choice(name: str, items: list[str] | tuple[str, ...]) -> QComboBox:
    """A choice by name, as narrow as its place."""
    made = QComboBox()
    made.addItems(list(items))
    made.setAccessibleName(name)
    slim(made)
    return made


def slim(choice: QComboBox) -> None:
    """Let a choice be as narrow as its place; its list shows all of its words."""
    choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    choice.setMinimumContentsLength(6)
    choice.view().setMinimumWidth(choice.view().sizeHintForColumn(0) + 24)


def emptied(layout: QLayout) -> None:
    """Take every widget out of a layout and let it go."""
    while (item := layout.takeAt(0)) is not None:
        if (old := item.widget()) is not None:
            old.setParent(None)
            old.deleteLater()


def side_by_side(*widgets: QWidget) -> QWidget:
    """Widgets in a row of equal shares."""
    row = QWidget()
    box = QHBoxLayout(row)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(8)
    for widget in widgets:
        box.addWidget(widget, 1)
    return row

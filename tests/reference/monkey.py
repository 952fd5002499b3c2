"""Hands without a head: presses, types, drags and turns whatever the window shows, from a seed."""

from __future__ import annotations

import random
from collections import Counter

from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QCheckBox, QComboBox, QDialog, QLineEdit, QMenu, QWidget

from wideberth.desktop.window import MainWindow

EVERY_MS = 120
KEYS = (
    "Up", "Down", "PageUp", "PageDown", "Home", "End", "Return", "Escape", "Tab", "Space", "F1", "F6", "F7", "Delete", "A", "7",
)  # fmt: skip
TYPED = ("0.3", "2", "45", "-1", "1e9", "", "abc", "3*4", "0.05", "12", "nan", "ä\u202e<b>")
CHANCES = {"press": 6, "click": 5, "key": 5, "type": 3, "choose": 1, "wheel": 3, "drag": 2, "step": 2, "undo": 1, "shortcut": 1}


class Monkey:
    """Acts every now and then, in dialogs and menus as well, until it is stopped."""

    def __init__(self, window: MainWindow, seed: int) -> None:
        self._window, self._chance = window, random.Random(seed)
        self.acts: Counter[str] = Counter()
        self.last = ""
        self._is_over = False
        QTimer.singleShot(EVERY_MS, self._act)

    def stop(self) -> None:
        self._is_over = True

    def _act(self) -> None:
        if self._is_over:
            return
        QTimer.singleShot(EVERY_MS, self._act)  # first, so that a dialog that stays open meanwhile meets it too
        top = QApplication.activePopupWidget() or QApplication.activeModalWidget()
        if isinstance(top, QMenu):
            self._in_menu(top)
        elif isinstance(top, QDialog):
            self._in_dialog(top)
        else:
            kinds = list(CHANCES)
            kind = self._chance.choices(kinds, [CHANCES[k] for k in kinds])[0]
            self.acts[kind] += 1
            getattr(self, f"_{kind}")()

    def _note(self, what: str, widget: QWidget) -> None:
        text = getattr(widget, "text", None)
        name = widget.accessibleName() or (text() if callable(text) else "")
        self.last = f"{what} {type(widget).__name__} {name}"[:90]

    def _in_menu(self, menu: QMenu) -> None:
        entries = [a for a in menu.actions() if a.isEnabled() and not a.isSeparator()]
        if entries and self._chance.random() < 0.7:
            entry = self._chance.choice(entries)
            self.last = f"menu {entry.text()}"[:90]
            QTest.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(entry).center())
        else:
            menu.close()

    def _in_dialog(self, dialog: QDialog) -> None:
        buttons = [b for b in dialog.findChildren(QAbstractButton) if b.isVisible() and b.isEnabled()]
        if buttons and self._chance.random() < 0.6:
            button = self._chance.choice(buttons)
            self._note("dialog", button)
            QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        else:
            dialog.reject()

    def _seen(self, kind: type) -> list[QWidget]:
        return [w for w in self._window.findChildren(kind) if w.isVisible() and w.isEnabled()]

    def _press(self) -> None:
        if buttons := self._seen(QAbstractButton):
            button = self._chance.choice(buttons)
            self._note("press", button)
            QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def _click(self) -> None:
        widget = self._chance.choice(self._seen(QWidget))
        at = QPoint(self._chance.randrange(max(1, widget.width())), self._chance.randrange(max(1, widget.height())))
        self._note("click", widget)
        act = QTest.mouseDClick if self._chance.random() < 0.15 else QTest.mouseClick
        act(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)

    def _key(self) -> None:
        widget = QApplication.focusWidget() or self._window
        key = self._chance.choice(KEYS)
        self._note(f"key {key}", widget)
        QTest.keyClick(widget, getattr(Qt.Key, f"Key_{key}"))

    def _type(self) -> None:
        if edits := [w for w in self._seen(QLineEdit) if not w.isReadOnly()]:  # type: ignore[attr-defined]
            edit = self._chance.choice(edits)
            text = self._chance.choice(TYPED)
            self._note(f"type {text!r}", edit)
            edit.setFocus()
            edit.selectAll()  # type: ignore[attr-defined]
            edit.insert(text)  # type: ignore[attr-defined]
            QTest.keyClick(edit, Qt.Key.Key_Return)

    def _choose(self) -> None:
        if boxes := self._seen(QComboBox) + self._seen(QCheckBox):
            box = self._chance.choice(boxes)
            self._note("choose", box)
            if isinstance(box, QComboBox):
                box.setCurrentIndex(self._chance.randrange(max(1, box.count())))
                box.activated.emit(box.currentIndex())
            else:
                QTest.mouseClick(box, Qt.MouseButton.LeftButton)

    def _views(self) -> list[QWidget]:
        w = self._window
        return [v for v in (w.log, w.section, w.scene.overlay, w.findings) if v.isVisible()]

    def _wheel(self) -> None:
        if views := self._views():
            view = self._chance.choice(views)
            self._note("wheel", view)
            at = QPointF(self._chance.random() * view.width(), self._chance.random() * view.height())
            held = self._chance.choice((Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier))
            by = QPoint(0, self._chance.choice((-120, 120)))
            turned = QWheelEvent(
                at, view.mapToGlobal(at), by, by, Qt.MouseButton.NoButton, held, Qt.ScrollPhase.NoScrollPhase, False
            )
            QApplication.sendEvent(view, turned)

    def _drag(self) -> None:
        if views := self._views():
            view = self._chance.choice(views)
            self._note("drag", view)
            one, other = (
                QPoint(self._chance.randrange(max(1, view.width())), self._chance.randrange(max(1, view.height()))) for _ in "ab"
            )
            button = self._chance.choice((Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton))
            QTest.mousePress(view, button, Qt.KeyboardModifier.NoModifier, one)
            QTest.mouseMove(view, other)
            QTest.mouseRelease(view, button, Qt.KeyboardModifier.NoModifier, other)

    def _step(self) -> None:
        step = self._chance.choice(list(self._window.steps))
        self.last = f"step {step}"
        self._window.session.selection.choose_step(step)

    def _undo(self) -> None:
        document = self._window.session.document
        self.last = "undo or redo"
        self._chance.choice((document.undo, document.undo, document.redo))()

    def _shortcut(self) -> None:
        number = self._chance.randrange(1, 5)
        self.last = f"Alt+{number}"
        QTest.keyClick(self._window, getattr(Qt.Key, f"Key_{number}"), Qt.KeyboardModifier.AltModifier)

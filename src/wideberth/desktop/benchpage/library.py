"""A kind's files: choose, duplicate, rename, keep, reset, import, export, compare."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from wideberth.core.bench import (
    SECTIONS,
    duplicate,
    export_file,
    import_file,
    is_own,
    load_named,
    names_of,
    rename,
    reset,
    save_own,
    slug,
    source_of,
)
from wideberth.core.errors import WideBerthError
from wideberth.desktop.benchpage.values import ValuesTable, shipped_like
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import button, label, side_by_side


class Library(QWidget):
    """Files of a kind on the left, the values in use on the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.kind = "printer"
        self._files: dict[str, Any] = {}
        self.list = QListWidget()
        self.list.setAccessibleName("files of this kind")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.itemActivated.connect(lambda item: self.use(item.data(Qt.ItemDataRole.UserRole)))
        self.values = ValuesTable(session)
        self.versus = QComboBox()
        self.versus.setAccessibleName("compare with")
        self.versus.activated.connect(lambda _: self._compare())
        left = QVBoxLayout()
        left.setSpacing(6)
        left.addWidget(self.list, 1)
        left.addWidget(button("Use it", lambda: self.use(self.chosen), "main", "put it on the bench; undo takes it back"))
        left.addWidget(side_by_side(button("Duplicate…", self._duplicate, "quiet"), button("Rename…", self._rename, "quiet")))
        self.away = button("Reset", self._reset, "quiet", "take your own file away: what ships shows again")
        keep = button("Keep as mine…", self._keep, "quiet", "save the values in use as a file of your own")
        left.addWidget(side_by_side(keep, self.away))
        left.addWidget(side_by_side(button("Import…", self._import, "quiet"), button("Export…", self._export, "quiet")))
        left.addWidget(label("compare with", "faint"))
        left.addWidget(self.versus)
        row = button("This row as it ships", self.values.back_to_shipped, "quiet")
        left.addWidget(row)
        holder = QWidget()
        holder.setLayout(left)
        holder.setFixedWidth(212)
        left.setContentsMargins(0, 0, 0, 0)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(12)
        box.addWidget(holder)
        box.addWidget(self.values, 1)
        session.document.changed.connect(self.refresh)

    @property
    def chosen(self) -> str:
        """Name of the file that the list points at."""
        item = self.list.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item is not None else "standard"

    def show_kind(self, kind: str) -> None:
        """Turn to another kind."""
        self.kind = kind
        self.versus.clear()
        self.refresh()

    def in_use(self) -> tuple[str | None, bool]:
        """The file that the bench's values are, and whether they were changed since; None when it is none of them."""
        part = getattr(self._session.job.bench, self.kind)
        same = next((n for n, other in self._files.items() if other == part), None)
        if same is not None:
            return same, False
        alike = (n for n, other in self._files.items() if other is not None and other.name == part.name)
        return next(alike, None), True

    def _read(self) -> dict[str, Any]:
        """Every file of the kind by its name; None for one that is damaged: shown as such, refused when it is used."""
        values: dict[str, Any] = {}
        for name in names_of(self.kind) + (names_of("mix") if self.kind == "resin" else []):
            try:
                values[name] = load_named(self.kind, name)
            except WideBerthError:
                values[name] = None
        return values

    def refresh(self) -> None:
        """Fill list and table anew when they are seen."""
        if self.isVisible():
            self._fill()

    def showEvent(self, _event: object) -> None:
        self._fill()

    def _fill(self) -> None:
        self._files = self._read()
        now, changed = self.in_use()
        kept = self.chosen if self.list.currentItem() is not None and self.chosen in self._files else now
        self.list.clear()
        for name, part in self._files.items():
            title = part.name if part is not None else f"{name} (cannot be read)"
            mark = ("● " if not changed else "◐ ") if name == now else "    "
            ending = " · yours" if is_own(self.kind, name) else ""
            item = QListWidgetItem(f"{mark}{title}{ending}")
            item.setData(Qt.ItemDataRole.UserRole, name)
            item.setToolTip("in use" + (", changed" if changed else "") if name == now else "")
            self.list.addItem(item)
            if name == kept:
                self.list.setCurrentItem(item)
        offered = [self.versus.itemData(row) for row in range(1, self.versus.count())]
        if offered != [n for n, part in self._files.items() if part is not None]:
            self.versus.clear()
            self.versus.addItem("what ships", "")
            for name, part in self._files.items():
                if part is not None:
                    self.versus.addItem(part.name, name)
        self._compare()

    def _compare(self) -> None:
        other = self.versus.currentData()
        if other:
            self.values.show_kind(self.kind, self._files[other], self.versus.currentText())
        else:
            name, _ = self.in_use()
            self.values.show_kind(self.kind, *shipped_like(self.kind, name or "standard"))

    # deeds, each of which a test can call

    def _guarded(self, deed) -> None:  # type: ignore[no-untyped-def]
        try:
            said = deed()
        except WideBerthError as error:
            self._session.messages.warn(error.text)
            return
        if said:
            self._session.messages.say(said)
        self._fill()

    def use(self, name: str) -> None:
        """Put a file's values on the bench."""
        self._guarded(
            lambda: self._session.document.use_section(self.kind, load_named(self.kind, name), source_of(self.kind, name))
        )

    def duplicate(self, title: str) -> None:
        """Copy the chosen file under another title."""
        self._guarded(lambda: f"{duplicate(self.kind, self.chosen, title)} is yours")

    def rename(self, title: str) -> None:
        """Give the chosen file another title."""
        self._guarded(lambda: f"renamed to {rename(self.kind, self.chosen, title)}")

    def keep(self, title: str) -> None:
        """Save the values in use as a file of the user's own."""

        def deed() -> str:
            part = replace(getattr(self._session.job.bench, self.kind), name=title)
            save_own(self.kind, slug(title), part)
            self._session.document.use_section(self.kind, part, f"your file {slug(title)}.toml")
            return f"kept as {slug(title)}"

        self._guarded(deed)

    def take_in(self, path: Path) -> None:
        """Import a file."""

        def deed() -> str:
            kind, name = import_file(path)
            if kind in SECTIONS:
                self.kind = kind
            return f"{name} is on the {kind} shelf; untested until an exposure test is logged"

        self._guarded(deed)

    def _ask(self, question: str, preset: str) -> str:
        text, fine = QInputDialog.getText(self, "Bench", question, text=preset)
        return text.strip() if fine else ""

    def _duplicate(self) -> None:
        part = self._files.get(self.chosen)
        if part is not None and (title := self._ask("Name of the copy", f"{part.name}, copy")):
            self.duplicate(title)

    def _rename(self) -> None:
        part = self._files.get(self.chosen)
        if part is not None and (title := self._ask("New name", part.name)):
            self.rename(title)

    def _keep(self) -> None:
        if title := self._ask("Keep the values in use as", getattr(self._session.job.bench, self.kind).name):
            self.keep(title)

    def _reset(self) -> None:
        self._guarded(lambda: reset(self.kind, self.chosen))

    def _import(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Import", "", "Bench files (*.toml)")
        if chosen:
            self.take_in(Path(chosen))

    def _export(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, "Export", f"{self.chosen}.toml", "Bench files (*.toml)")
        if chosen:
            self._guarded(lambda: export_file(self.kind, self.chosen, Path(chosen)))

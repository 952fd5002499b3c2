"""The style sheet and the typeface."""

from __future__ import annotations

from PySide6.QtGui import QFont, QFontDatabase
from PySide6.QtWidgets import QApplication

from wideberth.desktop.style.palette import DAY, Palette
from wideberth.fonts import FACES, FAMILY, font_path

BASE_POINT = 10.0


def load_fonts() -> None:
    """Make the shipped typeface known to Qt."""
    for face in FACES:
        QFontDatabase.addApplicationFont(str(font_path(face)))


def typeface(points: float = BASE_POINT, medium: bool = False, italic: bool = False) -> QFont:
    """The program's typeface at a size."""
    font = QFont(FAMILY)
    font.setPointSizeF(points)
    font.setItalic(italic)
    if medium:
        font.setWeight(QFont.Weight.Medium)
    return font


def style_sheet(p: Palette) -> str:
    """Qt style sheet for a palette."""
    return f"""
    * {{ color: {p.ink}; font-family: "{FAMILY}"; font-size: {BASE_POINT}pt; }}
    QMainWindow, QWidget#paper, QDialog, QMessageBox {{ background: {p.paper}; }}
    QWidget#strip {{ background: {p.paper}; border-bottom: 2px solid {p.faint}; }}
    QWidget#status {{ background: {p.paper}; border-top: 1px solid {p.rule}; }}
    QFrame#card {{ background: {p.card}; border: 1px solid {p.rule}; }}
    QLabel[role="title"] {{ font-size: 14pt; }}
    QLabel[role="reason"] {{ color: {p.faint}; font-style: italic; }}
    QLabel[role="faint"] {{ color: {p.faint}; }}
    QLabel[role="caution"] {{ color: {p.hazard}; font-size: 9.5pt; font-style: italic; }}
    QLabel[role="hazard"] {{ color: {p.hazard}; }}
    QLabel#drop {{ background: {p.card}; border: 1px solid {p.ink}; padding: 18px 26px; font-size: 13pt; }}
    QLabel[role="head"] {{ font-weight: 500; }}
    QTextBrowser {{ background: {p.card}; }}
    QLineEdit, QComboBox, QDateTimeEdit, QPlainTextEdit {{ background: {p.card}; border: 1px solid {p.rule}; padding: 3px 6px;
        selection-background-color: {p.deep}; selection-color: {p.ink}; min-height: 20px; }}
    QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
    QLineEdit:focus, QComboBox:focus, QDateTimeEdit:focus {{ border: 1px solid {p.ink}; }}
    QLineEdit[bad="true"] {{ border: 1px solid {p.hazard}; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox::down-arrow {{ image: none; width: 0; height: 0; border-left: 4px solid {p.card};
        border-right: 4px solid {p.card}; border-top: 5px solid {p.ink}; margin-right: 6px; }}
    QComboBox QAbstractItemView {{ background: {p.card}; border: 1px solid {p.ink}; selection-background-color: {p.water};
        selection-color: {p.ink}; }}
    QPushButton {{ background: {p.card}; border: 1px solid {p.ink}; padding: 5px 10px; min-height: 18px; }}
    QPushButton:hover {{ background: {p.water}; }}
    QPushButton:focus {{ border: 2px solid {p.ink}; padding: 4px 9px; }}
    QPushButton:disabled {{ color: {p.faint}; border: 1px solid {p.rule}; }}
    QPushButton[role="main"] {{ background: {p.ink}; color: {p.card}; }}
    QPushButton[role="main"]:hover {{ background: {p.post}; }}
    QPushButton[role="main"]:disabled {{ background: {p.rule}; color: {p.paper}; border: 1px solid {p.rule}; }}
    QPushButton[role="quiet"] {{ border: 1px solid {p.rule}; }}
    QPushButton:checked {{ background: {p.post}; color: {p.card}; border: 1px solid {p.ink}; }}
    QPushButton[role="leaf"] {{ background: transparent; border: none; border-bottom: 2px solid transparent; padding: 2px 3px;
        color: {p.faint}; }}
    QPushButton[role="leaf"]:hover {{ color: {p.ink}; }}
    QPushButton[role="leaf"]:checked {{ background: transparent; color: {p.ink}; border: none;
        border-bottom: 2px solid {p.ink}; }}
    QPushButton[role="leaf"]:focus {{ background: {p.water}; }}
    QFrame#question {{ background: {p.sand}; border: 1px solid {p.ink}; }}
    QFrame#question QLabel {{ background: transparent; }}
    QCheckBox {{ spacing: 7px; }}
    QCheckBox::indicator {{ width: 13px; height: 13px; border: 1px solid {p.ink}; background: {p.card}; }}
    QCheckBox::indicator:checked {{ background: {p.ink}; }}
    QCheckBox:focus {{ color: {p.ink}; text-decoration: underline; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {p.rule}; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; height: 0; }}
    QListWidget {{ background: transparent; border: none; outline: none; }}
    QListWidget::item {{ padding: 3px 2px; }}
    QListWidget::item:selected, QTableWidget::item:selected, QTableView::item:selected {{ background: {p.water}; color: {p.ink};
    }} QTableWidget::item, QTableView::item {{ padding: 0 4px; }} QTableWidget QLineEdit {{ min-height: 0; padding: 0 3px; }}
    QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 0; }} QScrollBar::handle:horizontal {{ background:
    {p.rule}; min-width: 24px; }} QMenu {{ background: {p.card}; border: 1px solid {p.ink}; }} QMenu::item {{ padding: 4px 22px
    4px 14px; }} QMenu::item:selected {{ background: {p.water}; }} QSlider::groove:horizontal {{ background: {p.rule}; height:
    2px; }} QSlider::sub-page:horizontal {{ background: {p.ink}; height: 2px; }} QSlider::handle:horizontal {{ background:
    {p.card}; border: 1px solid {p.ink}; width: 9px; margin: -7px 0; }} QSlider::handle:horizontal:focus {{ background:
    {p.water}; border: 2px solid {p.ink}; }} QToolTip {{ background: {p.card}; color: {p.ink}; border: 1px solid {p.ink};
    padding: 4px; }} QProgressBar {{ background: {p.card}; border: 1px solid {p.rule}; height: 8px; text-align: center; }}
    QProgressBar::chunk {{ background: {p.deep}; }} QTableWidget, QTableView {{ background: {p.card}; border: 1px solid
    {p.rule}; gridline-color: {p.rule}; }} QHeaderView::section {{ background: {p.paper}; border: none; border-bottom: 1px solid
    {p.rule}; padding: 3px; }}
    """


def apply_style(app: QApplication, palette: Palette = DAY) -> None:
    """Dress an application."""
    load_fonts()
    app.setStyle("Fusion")
    app.setFont(typeface())
    app.setStyleSheet(style_sheet(palette))

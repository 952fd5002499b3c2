"""The tool that edits tips in the 3D view: what one would carry before the click, tips added, chosen, moved."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from wideberth.core.errors import WideBerthError
from wideberth.core.job import Job
from wideberth.core.progress import Progress
from wideberth.core.propose import (
    Added,
    Spread,
    Tried,
    sized_for_load,
    tried,
    with_foot_moved,
    with_joint_moved,
    with_tip,
    with_tip_moved,
    with_tips_spread,
)
from wideberth.desktop.session import Canvas, Session, Spot, Tool
from wideberth.desktop.session.training import COVERED
from wideberth.desktop.style import DAY, typeface
from wideberth.desktop.words import count, margin_text
from wideberth.desktop.work import Task

NEAR_PX, BRUSH_PX = 10.0, 14.0
FOOT_PX, JOINT_PX = 4.5, 6.0
HEIGHTS = 121
NUDGE_MM = 0.5
"""By which a key moves a tip."""
"""Places along a post that are looked at for the one under the pointer."""
SHORTEST_MM = 0.05
"""Less of a twig has no joint to be moved."""
ADD, BOX, BRUSH, LOOK = "add", "box", "brush", "look"
Mode = str | Spread
"""What a press beside tips does: one of these, or tips spread from there."""


class TipEditor(Tool):
    """Tips as handles: a click on one chooses it, a drag moves it, a click on the part beside them adds one. The feet of chosen
    tips are handles too, and are dragged over the plate.

    chosen : ids of the chosen contacts, of the part `part`. mode : whether a click on the part adds a tip, or a drag over the
    view chooses all tips in a box, or those it passes over, or tips are spread from there, so far apart; None by the sag law.
    diameter_mm : of the next tip, None for what its load asks for.
    """

    hovers = True
    grabs = True
    sees_through = False

    def __init__(self, session: Session, changed: Callable[[], None]) -> None:
        self._session, self._changed = session, changed
        self.mode: Mode = ADD
        self.apart_mm: float | None = None
        self.diameter_mm: float | None = None
        self.part = ""
        self.chosen: tuple[str, ...] = ()
        self._seen_at: dict[str, QPointF] = {}
        self._held = ""
        self._feet_at: dict[str, QPointF] = {}
        self._foot = ""
        """Id of the post whose foot is held."""
        self._foot_to: tuple[float, float] | None = None
        self._joints: dict[str, Joint] = {}
        self._joint = ""
        """Contact whose twig's joint is held."""
        self._joint_to: float | None = None
        self._canvas: Canvas | None = None
        self._box: tuple[QPointF, QPointF] | None = None
        self._brush: QPointF | None = None
        self._moved_to: np.ndarray | None = None
        self._told: tuple[Spot, Tried | str] | None = None
        self._trying: Task | None = None
        self._next: tuple[str, Spot] | None = None

    @property
    def hint(self) -> str:  # type: ignore[override]
        if self.mode == LOOK:
            return "the ringed tip comes off next; click another to choose it"
        if self.mode == BOX:
            return "drag a box over tips to choose them; drag one to move it"
        if self.mode == BRUSH:
            return "draw over tips to choose them; drag one to move it"
        if isinstance(self.mode, Spread):
            return f"press the part to set tips {self.mode} there"
        return "click the part to add a tip; click one to choose it, drag it, its joint, or its square foot, to move it"

    def choose(self, part: str, contacts: tuple[str, ...]) -> None:
        """Choose tips of a part."""
        self.part, self.chosen = part, contacts
        self._session.sight.tool_moved.emit()
        self._changed()

    def laid_down(self) -> None:
        self.chosen, self._held, self._box, self._told, self._next = (), "", None, None, None
        self._foot, self._foot_to, self._brush = "", None, None
        self._joint, self._joint_to = "", None
        self._changed()

    # the mouse

    def grab(self, at: QPointF) -> bool:
        near = _nearest(self._seen_at, at, NEAR_PX)
        self._foot = "" if near else _nearest(self._feet_at, at, NEAR_PX)
        self._joint = "" if near or self._foot else _nearest({id: j.seen for id, j in self._joints.items()}, at, NEAR_PX)
        if self._foot or self._joint:
            return True
        if near:
            self._held, self._moved_to = near, None
            if near not in self.chosen:
                self.choose(self._session.selection.part, (near,))
            return True
        if self.mode == BOX:
            self._box = (at, at)
            return True
        if self.mode == BRUSH:
            self.choose(self._session.selection.part, ())
            self._draw_over(at)
            return True
        return False

    @property
    def held_part(self) -> str:
        return self._session.selection.part if self._held else ""

    def pulled(self, at: QPointF) -> None:
        if self._box is not None:
            self._box = (self._box[0], at)
        elif self._brush is not None:
            self._draw_over(at)
        elif self._foot and self._canvas is not None:
            self._foot_to = self._canvas.on_plate(at)
        elif self._joint and self._canvas is not None:
            self._joint_to = self._joints[self._joint].height_at(at, self._canvas)
        else:
            return
        self._session.sight.tool_moved.emit()

    def _draw_over(self, at: QPointF) -> None:
        """The brush passes over a point of the view: the tips there are chosen as well."""
        self._brush = at
        under = tuple(id for id, p in self._seen_at.items() if _apart(p, at) <= BRUSH_PX and id not in self.chosen)
        if under:
            self.choose(self._session.selection.part, self.chosen + under)

    def dragged(self, part: str, spot_mm: Spot) -> None:
        if self._held:
            self._moved_to = spot_mm
            self._ask(part, spot_mm)

    def released(self) -> None:
        held, spot, box = self._held, self._moved_to, self._box
        foot, place, joint, height = self._foot, self._foot_to, self._joint, self._joint_to
        self._held, self._moved_to, self._box, self._told, self._next = "", None, None, None, None
        self._foot, self._foot_to, self._brush = "", None, None
        self._joint, self._joint_to = "", None
        session = self._session
        if foot and place is not None:
            self._move_foot(foot, place)
        if joint and height is not None:
            self._move_joint(joint, height)
        if box is not None:
            area = QRectF(box[0], box[1]).normalized()
            self.choose(session.selection.part, tuple(id for id, at in self._seen_at.items() if area.contains(at)))
        elif held and spot is not None:
            id, own, job = session.selection.part, self._own(session.selection.part, spot), session.job

            def work(_: Progress) -> Job:
                return with_tip_moved(job, id, session.stages, held, own)

            session.tasks.act("leading the tip anew", work, lambda made: session.document.change("move a tip", made))
        session.sight.tool_moved.emit()

    def nudge(self, right: int, up: int) -> None:
        """Move the chosen tip a little along the part, as it is seen: to the right, or up."""
        session, part, canvas = self._session, self._session.selection.present, self._canvas
        p = session.prediction
        first = None if p is None or part is None else p.solids_of(part.id)
        if part is None or first is None or canvas is None or len(self.chosen) != 1:
            session.messages.say("choose one tip to move it")
            return
        (held,) = self.chosen
        touch = next((t for t in first.touches if t.contact == held), None)
        if touch is None:
            return
        at = np.array([touch.x_mm, touch.y_mm, touch.z_mm])
        way = _way_seen(canvas, at, right, up)
        if way is None:
            return
        own, job = first.own_spot(at + NUDGE_MM * way), session.job

        def work(_: Progress) -> Job:
            (spot,) = session.stages.closest(session.stages.cut(part)).nearest(own[None])[2]
            return with_tip_moved(job, part.id, session.stages, held, spot)

        session.tasks.act("leading the tip anew", work, lambda made: session.document.change("move a tip", made))

    def _move_foot(self, post: str, place_mm: tuple[float, float]) -> None:
        """Lead a post to another place of the plate."""
        session, id, job = self._session, self._session.selection.part, self._session.job
        own = self._own(id, np.array([*place_mm, 0.0]))
        session.tasks.act(
            "leading the post anew",
            lambda _: with_foot_moved(job, id, session.stages, post, own),
            lambda made: session.document.change("move a foot", made),
        )

    def _move_joint(self, contact: str, height_mm: float) -> None:
        """Let a tip's twig meet its post higher up or lower down."""
        session, id, job = self._session, self._session.selection.part, self._session.job
        own = self._own(id, np.array([0.0, 0.0, height_mm]))
        session.tasks.act(
            "leading the twig anew",
            lambda _: with_joint_moved(job, id, session.stages, contact, own),
            lambda made: session.document.change("move a joint", made),
        )

    def clicked(self, part: str, spot_mm: Spot) -> None:
        session = self._session
        if part != session.selection.part:
            session.selection.choose_part(part)
        if isinstance(self.mode, Spread):
            self._spread(part, spot_mm, self.mode)
        if self.mode != ADD:
            return
        job, own, size, seen = session.job, self._own(part, spot_mm), self.diameter_mm, session.prediction

        def work(_: Progress) -> Job:
            made = with_tip(job, part, session.stages, own, size)
            if size is None and seen is not None:
                made = sized_for_load(seen, made, part, session.stages, made.part(part).supports.contacts[-1].id)
            return made

        def done(made: Job) -> None:
            session.document.change("add a tip", made)
            self.choose(part, (made.part(part).supports.contacts[-1].id,))

        session.tasks.act("leading a post to it", work, done)

    def _spread(self, part: str, spot_mm: Spot, how: Spread) -> None:
        """Set tips from a spot on."""
        session, job, own = self._session, self._session.job, self._own(part, spot_mm)

        def done(made: Added) -> None:
            self.take(part, made, f"add {count(made.count, 'tip')} {how}")

        session.tasks.act(
            "leading posts to them",
            lambda _: with_tips_spread(job, part, session.stages, own, how, self.apart_mm, self.diameter_mm),
            done,
        )

    def take(self, part: str, made: Added, label: str) -> None:
        """Take over a job with more tips, choose these, and say what no post reaches."""
        self._session.document.change(label, made.job)
        self.choose(part, tuple(c.id for c in made.job.part(part).supports.contacts[-made.count :]))
        if made.barred:
            self._session.messages.say(f"{count(made.barred, 'spot')} cannot be reached")

    def hovered(self, part: str, spot_mm: Spot) -> None:
        if self.mode == ADD:
            self._ask(part, spot_mm)

    def left(self) -> None:
        self._told = self._next = None
        self._session.sight.tool_moved.emit()

    def passed(self, at: QPointF) -> None:
        pass

    def _own(self, part: str, spot_mm: Spot) -> np.ndarray:
        """A spot on the plate in the part's own frame."""
        p = self._session.prediction
        solids = None if p is None else p.solids_of(part)
        assert solids is not None
        return solids.own_spot(spot_mm)

    # what a tip there would carry

    def _ask(self, part: str, spot_mm: Spot) -> None:
        """Try a tip at a spot; while one is being tried the next waits, and only the last of them."""
        self._next = (part, spot_mm)
        session = self._session
        seen = session.prediction
        if self._trying is not None or seen is None or seen.job is not session.job or session.tasks.acts:
            return
        job, held, size, own = session.job, self._held, self.diameter_mm, self._own(part, spot_mm)

        def work(_: Progress) -> Tried | str:
            try:
                if held:
                    return tried(seen, with_tip_moved(job, part, session.stages, held, own), part, session.stages, held)
                return tried(seen, with_tip(job, part, session.stages, own, size), part, session.stages)
            except WideBerthError as error:
                return error.what

        def over() -> None:
            self._trying = None

        def done(told: Tried | str) -> None:
            self._trying = None
            if self._next is not None and job is session.job:
                self._told = (spot_mm, told)
                session.sight.tool_moved.emit()
                if self._next[1] is not spot_mm:
                    self._ask(*self._next)

        self._trying = session.tasks.beside(work, done, over)

    @staticmethod
    def words(told: Tried | str) -> str:
        """What a tip would carry, and the weakest margin before and after."""
        if isinstance(told, str):
            return told
        if told.load_n is None or told.margin is None:
            return "it would touch nothing"
        text = f"{told.load_n:.2f} N, {margin_text(min(told.margin, 99.0))}"
        if told.printed_mm is not None:
            text += f" on {told.printed_mm:.2f} mm printed"
        return f"{text} · weakest {margin_text(told.before)} → {margin_text(told.after)}"

    # painting

    def paint(self, painter: QPainter, canvas: Canvas) -> None:
        p, id = self._session.prediction, self._session.selection.part
        self._seen_at, self._feet_at, self._joints, self._canvas = {}, {}, {}, canvas
        if p is None:
            return
        first = p.solids_of(id)
        if first is not None:
            for touch in first.touches:
                at = canvas.project((touch.x_mm, touch.y_mm, touch.z_mm))
                if at is not None:
                    self._seen_at[touch.contact] = at
                foot = canvas.project((touch.post_x_mm, touch.post_y_mm, 0.0))
                if touch.contact in self.chosen and touch.post_foot_mm == 0 and foot is not None:
                    self._feet_at[touch.post] = foot
            routes = first.placed.part.supports.routes
            for touch in first.touches:
                if touch.contact in self.chosen and touch.contact in routes and routes[touch.contact].twig_mm > SHORTEST_MM:
                    top, under = routes[touch.contact].top_mm[2], routes[touch.contact].joint_mm[2]
                    at = canvas.project((touch.post_x_mm, touch.post_y_mm, top))
                    if at is not None:
                        self._joints[touch.contact] = Joint(touch.post_x_mm, touch.post_y_mm, top, under, at)
        self._paint_feet(painter, canvas)
        self._paint_joints(painter, canvas)
        for contact, at in self._seen_at.items():
            chosen = contact in self.chosen
            painter.setPen(QPen(QColor(DAY.hazard if chosen else DAY.ink), 2.2 if chosen else 1.2))
            painter.setBrush(QColor(DAY.card))
            painter.drawEllipse(at, 5.5 if chosen else 3.2, 5.5 if chosen else 3.2)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._box is not None:
            painter.setPen(QPen(QColor(DAY.hazard), 1.2, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(*self._box).normalized())
        if self._told is not None:
            spot, told = self._told
            at = canvas.project((float(spot[0]), float(spot[1]), float(spot[2])))
            if at is not None:
                painter.setPen(QPen(QColor(DAY.hazard), 1.6))
                painter.drawEllipse(at, 4.0, 4.0)
                painter.setFont(typeface(9.5, italic=True))
                canvas.slip(painter, QPointF(at.x(), at.y() - 16), COVERED if self._session.training.covers else self.words(told))

    def _paint_feet(self, painter: QPainter, canvas: Canvas) -> None:
        """Squares at the feet of the chosen tips; where one is dragged to, and how far that is."""
        painter.setPen(QPen(QColor(DAY.hazard), 1.6))
        painter.setBrush(QColor(DAY.card))
        for at in self._feet_at.values():
            painter.drawRect(QRectF(at.x() - FOOT_PX, at.y() - FOOT_PX, 2 * FOOT_PX, 2 * FOOT_PX))
        there = None if self._foot_to is None else canvas.project((*self._foot_to, 0.0))
        if there is None or self._foot_to is None or self._foot not in self._feet_at:
            return
        painter.setPen(QPen(QColor(DAY.hazard), 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(self._feet_at[self._foot], there)
        painter.drawEllipse(there, 4.0, 4.0)
        painter.setFont(typeface(9.5, italic=True))
        x, y = self._foot_to
        canvas.slip(painter, QPointF(there.x(), there.y() - 16), f"foot to x {x:.1f}, y {y:.1f} mm".replace("-", "−"))

    def _paint_joints(self, painter: QPainter, canvas: Canvas) -> None:
        """Lozenges where the twigs of the chosen tips meet their posts; where one is dragged to."""
        painter.setPen(QPen(QColor(DAY.hazard), 1.6))
        painter.setBrush(QColor(DAY.card))
        for joint in self._joints.values():
            painter.drawPolygon(_lozenge(joint.seen))
        held = self._joints.get(self._joint)
        if held is None or self._joint_to is None:
            return
        there = canvas.project((held.x_mm, held.y_mm, self._joint_to))
        if there is not None:
            painter.drawPolygon(_lozenge(there))
            painter.setFont(typeface(9.5, italic=True))
            canvas.slip(painter, QPointF(there.x(), there.y() - 16), f"joint at {self._joint_to:.1f} mm")


@dataclass(frozen=True)
class Joint:
    """Where a twig meets its post, on the plate: its place, its height, that of the twig's upper end, and where it is seen."""

    x_mm: float
    y_mm: float
    z_mm: float
    under_mm: float
    seen: QPointF

    def height_at(self, at: QPointF, canvas: Canvas) -> float:
        """The height on the post's axis that is seen nearest to a point of the view."""
        heights = np.linspace(0.0, self.under_mm, HEIGHTS)
        seen = [(h, canvas.project((self.x_mm, self.y_mm, float(h)))) for h in heights]
        return float(min(((h, _apart(p, at)) for h, p in seen if p is not None), key=lambda s: s[1], default=(self.z_mm, 0.0))[0])


def _way_seen(canvas: Canvas, at_mm: np.ndarray, right: int, up: int) -> np.ndarray | None:
    """The direction on the plate, unit (3,), that is seen as right or up at a spot; None where it is behind the eye."""
    spots = [canvas.project(tuple(at_mm + step)) for step in np.vstack((np.zeros(3), np.eye(3)))]
    seen = [(p.x(), -p.y()) for p in spots if p is not None]
    if len(seen) < len(spots):
        return None
    slope = (np.array(seen[1:]) - seen[0]).T
    way = np.linalg.pinv(slope) @ (right, up)
    return np.asarray(way / max(float(np.linalg.norm(way)), 1e-12))


def _lozenge(at: QPointF) -> QPolygonF:
    return QPolygonF([at + QPointF(x, y) for x, y in ((0, -JOINT_PX), (JOINT_PX, 0), (0, JOINT_PX), (-JOINT_PX, 0))])


def _apart(a: QPointF, b: QPointF) -> float:
    return float(np.hypot(a.x() - b.x(), a.y() - b.y()))


def _nearest(seen_at: dict[str, QPointF], at: QPointF, most_px: float) -> str:
    """Id of what is seen nearest to a point of the view, "" where nothing is near."""
    near = min(seen_at, key=lambda id: _apart(seen_at[id], at), default="")
    return near if near and _apart(seen_at[near], at) <= most_px else ""

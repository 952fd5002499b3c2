"""The leaf for turning by hand: about the plate's axes, by a face that is laid, and up from the plate."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from wideberth.core.job import Part
from wideberth.core.orient import UPRIGHT, Pose, laid, turned
from wideberth.desktop.session import SpotTool
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side, tool_button
from wideberth.desktop.steps.orient.handles import Handles
from wideberth.desktop.steps.orient.turner import set_pose
from wideberth.desktop.steps.step import Leaf

LAID = {"down": 0.0, "up": 180.0, "upright": 90.0}


class HandLeaf(Leaf):
    """Typed angles, a picked face laid down, up or leaning, and the gap."""

    def build(self) -> None:
        self.angle = NumberField("Turn by", "°", -360, 360, 5)
        self.angle.set_value(15)
        self.box.addWidget(self.angle)
        for axis, name in enumerate("xyz"):
            keys = ("Alt+Up / Down", "Alt+Page Up / Page Down", "Alt+Left / Right")[axis]
            back = button(f"−  {name}", lambda a=axis: self.turn(a, -1), "quiet", f"turn back about {name} ({keys})")
            forth = button(f"+  {name}", lambda a=axis: self.turn(a, 1), "quiet", f"turn about {name} ({keys})")
            self.box.addWidget(side_by_side(back, forth))
        sight, told = self._session.sight, "drag a ring; what the pose would cost is told while you turn"
        self._handles, self._tool = Handles(self._session), SpotTool("click the face to lay", self._laid)
        self.rings = tool_button("Rings in the 3D view", sight, self._handles, told)
        self.box.addWidget(self.rings)
        self.box.addWidget(button("As it came", self._reset, "quiet"))
        self.gap = NumberField("Above the plate", "mm", 0, 200, 0.5, "lowest point to the plate; 0 stands on it")
        self.gap.entered.connect(self._raise)
        self.box.addWidget(self.gap)
        self.lean = NumberField("Lay a face, leaning", "°", 0, 180, 5, "0: face down, 90: upright, 180: face up")
        self.lean.set_value(45)
        self.lay = tool_button("Click a face in the 3D view", sight, self._tool)
        self.box.addWidget(self.lean)
        presets = [
            button(name, lambda v=value: self._ask_for(v), "quiet", f"then click the face that is to lie {name}")
            for name, value in LAID.items()
        ]
        self.box.addWidget(side_by_side(*presets))
        self.box.addWidget(self.lay)
        self.box.addWidget(label("The part turns the shortest way until the face that you click lies so.", "faint"))

    def show_part(self, part: Part | None) -> None:
        if part is not None:
            self.gap.set_value(part.pose.gap_mm)

    def turn(self, axis: int, way: int) -> None:
        """Turn by the typed angle about an axis of the plate, one way or the other."""
        degrees = way * self.angle.value
        self._pose(f"turn {degrees:g}° about {'xyz'[axis]}", lambda pose: turned(pose, axis, degrees))

    def _raise(self, gap: float) -> None:
        self._pose(f"set {gap:g} mm above the plate", lambda pose: replace(pose, gap_mm=gap))

    def _reset(self) -> None:
        self._pose("turn back to as it came", lambda pose: replace(pose, turn=UPRIGHT))

    def _pose(self, label: str, change) -> None:  # type: ignore[no-untyped-def]
        part = self._session.selection.present
        if part is not None:
            set_pose(self._session, label, change(part.pose))

    def _ask_for(self, lean_deg: float) -> None:
        self.lean.set_value(lean_deg)
        self._session.sight.take_up(self._tool)

    def stop(self) -> None:
        """Clicks in the 3D view lay no more faces and turn nothing."""
        self._session.sight.lay_down(self._tool)
        self._session.sight.lay_down(self._handles)

    def _laid(self, id: str, spot_mm: np.ndarray) -> None:
        """A spot of a part was clicked: its face is laid."""
        session, p = self._session, self._session.prediction
        solids = p.solids_of(id) if p is not None else None
        if solids is None:
            return
        self.stop()
        session.selection.choose_part(id)
        own = solids.own_spot(spot_mm)
        face = int(session.stages.closest(solids.own).nearest(own[None])[1][0])
        normal, lean = solids.own.normals[face], self.lean.value
        pose: Pose = laid(session.job.part(id).pose, normal, lean)
        word = next((name for name, value in LAID.items() if value == lean), f"leaning {lean:g}°")
        set_pose(session, f"lay a face {word}", pose)

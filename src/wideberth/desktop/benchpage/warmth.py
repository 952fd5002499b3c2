"""The temperature leaf: where the vat starts, where the night takes it, and what that does to the print."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QWidget

from wideberth.core.bench import exposure_advice, outlook, viscosity_at
from wideberth.desktop.figures import Plot, beside_plots
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import NumberField, button, label
from wideberth.desktop.style import DAY


class Warmth(QWidget):
    """Vat temperature and its drift, with four tracks over the hours of the print."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.vat = NumberField("Vat at the start", "°C", -10, 80, 1)
        self.to = NumberField("drifts to", "°C", -10, 80, 1)
        self.by = NumberField("within", "h", 0.1, 500, 1)
        self.vat.entered.connect(lambda v: session.document.set_bench("print.vat_c", v))
        self.to.entered.connect(lambda v: session.document.set_bench("print.drift_to_c", v))
        self.by.entered.connect(lambda v: session.document.set_bench("print.drift_h", v))
        steady = button("It stays as it is", lambda: session.document.set_bench("print.drift_to_c", None), "quiet", "no drift")
        self.words = label("")
        self.tracks = [Plot("", "vat, °C"), Plot("", "viscosity, Pa·s"), Plot("", "light, s"), Plot("hours", "pull, N", 150)]
        beside_plots(self, (self.vat, self.to, self.by, steady, self.words), [(track, 1) for track in self.tracks], 232)
        session.document.changed.connect(self.refresh)
        session.predicting.predicted.connect(self.refresh)

    def showEvent(self, _event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Draw the outlook of the bench in use."""
        if not self.isVisible():
            return
        bench, p = self._session.job.bench, self._session.prediction
        settings, resin = bench.print, bench.resin
        self.vat.set_value(settings.vat_c)
        self.to.set_value(settings.drift_to_c if settings.drift_to_c is not None else settings.vat_c)
        self.by.set_value(settings.drift_h)
        hours = float(p.loads.seconds.sum()) / 3600 if p is not None else settings.drift_h
        seen = outlook(bench, hours)
        span = (0.0, float(seen.hours[-1]))
        warm, thick, light, pull = self.tracks
        for track in self.tracks:
            track.clear()
        warm.band(seen.hours, np.full_like(seen.hours, resin.coldest_c), np.full_like(seen.hours, resin.warmest_c), DAY.water)
        warm.line(seen.hours, seen.vat_c, DAY.ink, 2.0)
        warm.window(span, (min(seen.vat_c.min(), resin.coldest_c) - 1, max(seen.vat_c.max(), resin.warmest_c) + 1))
        thick.line(seen.hours, seen.viscosity_pa_s, DAY.ink, 2.0)
        thick.window(span, (0.0, float(seen.viscosity_pa_s.max()) * 1.1))
        light.band(seen.hours, seen.least_s, seen.most_s, DAY.water)
        light.line(seen.hours, seen.advised_s, DAY.ink, 2.0)
        light.level(settings.exposure_s, DAY.hazard, "as set")
        light.window(span, (0.0, max(float(seen.most_s.max()), settings.exposure_s) * 1.08))
        if p is not None:
            at = np.cumsum(p.loads.seconds) / 3600
            pull.line(at, p.loads.pull_n, DAY.ink, 1.4)
            pull.window(span, (0.0, float(p.loads.pull_n.max()) * 1.05))
        self._say(seen.crosses_h, hours)

    def _say(self, crosses_h: float | None, hours: float) -> None:
        bench = self._session.job.bench
        resin, settings = bench.resin, bench.print
        lines = [f"{resin.name} is advised at {resin.coldest_c:g} to {resin.warmest_c:g} °C (shaded)."]
        if settings.drift_to_c is not None:
            ratio = viscosity_at(resin, settings.drift_to_c) / viscosity_at(resin, settings.vat_c)
            rate = ratio**bench.laws.rate_power
            need = exposure_advice(bench, settings.drift_to_c).advised_s
            lines.append(
                f"At the end of the drift it is ×{ratio:.2f} as thick: the viscous pull is ×{rate:.2f} and suction "
                f"through holes ×{ratio:.2f}. It then needs {need:.1f} s of light for the cure it gets from "
                f"{exposure_advice(bench, settings.vat_c).advised_s:.1f} s now."
            )
        if crosses_h is not None and crosses_h < hours:
            lines.append(f"It leaves the advice after {crosses_h:.1f} h of {hours:.1f} h.")
        self.words.setText("\n\n".join(lines))

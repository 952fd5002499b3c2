"""Whether the tests notice when the physics is wrong: one small change of meaning after the other, each in a copy of the sources.

`make mutate` runs the tests beside each change and prints which changes none of them noticed; `make mutate only=loads` those of one
room. A change that survives is a test that is missing, or one that looks only at the defaults.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1]
CORE = "src/wideberth/core"
PATIENCE_S = 900
FAILED, NONE_CHOSEN = 1, 5
"""What pytest ends with."""


@dataclass(frozen=True)
class Mutation:
    """One change. file : under the core. tests : files under tests/core that should notice."""

    what: str
    file: str
    old: str
    new: str
    tests: tuple[str, ...]


LOADS = ("test_away_from_defaults", "test_loads", "test_pull_by_hand", "test_tug_of_war")
SAG = ("test_away_from_defaults", "test_sag")
CUPS = ("test_away_from_defaults", "test_cups", "test_narrow_ways", "test_loads")
WRITTEN = ("test_written_layers", "test_handover", "test_written_as_predicted")
SETTINGS = ("test_settings",)
MOTION = ("test_motion",)
LIGHT = ("test_green", "test_away_from_defaults")
OFF = ("test_coming_off",)
AFTER = ("test_after",)
MUTATIONS = (
    # loads
    Mutation("the lift's speed does not pull", "loads/peel.py", "viscosity_pa_s / laws.peel_viscosity_pa_s * mm_per_min / laws.peel_speed_mm_per_min", "viscosity_pa_s / laws.peel_viscosity_pa_s", LOADS),
    Mutation("viscosity does not pull", "loads/peel.py", "viscosity_pa_s / laws.peel_viscosity_pa_s * mm_per_min", "1.0 + 0 * viscosity_pa_s * mm_per_min", LOADS),
    Mutation("the power on the rate is 1", "loads/peel.py", "* shape * rate**laws.rate_power", "* shape * rate", LOADS),
    Mutation("transition layers bond as normal ones", "bench/cure.py", "special = min(layers, settings.first_layers + settings.transition_layers)", "special = min(layers, settings.first_layers)", LOADS + SETTINGS),
    Mutation("longer first light holds the plate less", "loads/peel.py", "np.log(bench.print.first_exposure_s * power / reference)", "np.log(reference / (bench.print.first_exposure_s * power))", LOADS),
    Mutation("the lift need only follow the film once", "loads/film.py", "return 2 * film_follow_mm(", "return film_follow_mm(", LOADS + SETTINGS),
    Mutation("a section's own spread does not count", "loads/film.py", "(off2 + area_mm2 / (2 * math.pi))", "off2", LOADS + SETTINGS),
    Mutation("half the time to speed up", "bench/motion.py", "distance_mm / speed + speed / acceleration_mm_per_s2", "distance_mm / speed + 0.5 * speed / acceleration_mm_per_s2", LOADS + MOTION),
    Mutation("the wait while lifted is forgotten", "bench/motion.py", "self.wait_before_s + self.wait_after_s + self.wait_lifted_s", "self.wait_before_s + self.wait_after_s", LOADS + MOTION),
    Mutation("the vat cools with the layer, not with the hours", "loads/seconds.py", "np.cumsum(seconds) / 3600", "seconds / 3600", LOADS + SETTINGS),
    Mutation("a laser writes every section as the mean one", "loads/seconds.py", "* area_mm2 / bench.printer.writes_mm2_per_s", "* area_mm2.mean() / bench.printer.writes_mm2_per_s", LOADS + SETTINGS),
    Mutation("a hole's ends do not resist", "loads/suction.py", "+ 3 / radius_mm**3", "+ 0 / radius_mm**3", CUPS),
    Mutation("the film does not follow", "loads/suction.py", "(1 - bench.film.follow_share) * speed[o.layer]", "speed[o.layer]", CUPS),
    Mutation("gas gives no further", "loads/suction.py", "grown / np.maximum(gas + grown, 1e-12)", "grown / np.maximum(gas, 1e-12)", CUPS),
    Mutation("air is drawn by half its head", "loads/suction.py", "math.sqrt(2 / bench.laws.air_kg_per_m3)", "math.sqrt(1 / bench.laws.air_kg_per_m3)", CUPS),
    Mutation("the last passage goes before the first beside doors", "layers/doors.py", "np.argsort(-names[of[free]]", "np.argsort(names[of[free]]", ("test_narrow_ways",)),
    Mutation("passages that meet at a corner are two", "layers/doors.py", "if step > (0, 0, 0)]", "if step > (0, 0, 0) and sum(map(abs, step)) < 3]", ("test_narrow_ways",)),
    Mutation("casts stay in memory while sections are found", "predict/prediction.py", "stages.lay_aside(of)", "stages.lay_aside()", ("test_resting",)),
    Mutation("what is printed stays in memory beside the loads", "predict/prediction.py", "        stages.lay_to_rest()\n    seen = _Seen", "        pass\n    seen = _Seen", ("test_resting",)),
    Mutation("half the settling time", "loads/down.py", "12 * viscosity_pa_s * squeeze_mm4", "6 * viscosity_pa_s * squeeze_mm4", LOADS),
    Mutation("a pinned pose is raised", "propose/everything.py", "if part.pose_pinned or not may_raise:", "if not may_raise:", ("test_raised",)),
    Mutation("what holds on the plate is raised", "propose/everything.py", "if not (lost := lost_by(seen)):", "if (lost := lost_by(seen)) is None:", ("test_raised",)),
    Mutation("what is lost on the plate stays there", "propose/everything.py", "    if lost_above := lost_by(seen):\n", "    if (lost_above := lost_by(seen)) is not None:\n", ("test_raised",)),
    Mutation("tips that bear little hide a neck", "propose/judged.py", "wholly=lack.neck is not None", "wholly=False", ("test_beyond_necks",)),
    Mutation("tips beyond a neck stay thin", "propose/judged.py", "made = lack.as_it_bears(seen, made, new)", "made = made", ("test_beyond_necks",)),
    Mutation("tips beyond a neck bear no moment", "propose/necks.py", "nnls(reach, moment)", "nnls(reach, 0 * moment)", ("test_beyond_necks",)),
    Mutation("weight pushes on the return", "loads/_kernels/push.py", "viscous] - tip_n", "viscous] + tip_n", LOADS),
    Mutation("a post bears its last tip alone", "loads/_kernels/push.py", "returning[post[t]] += returns", "returning[post[t]] = returns", LOADS),
    Mutation("a post bends by its length, not its square", "loads/down.py", "max(length_mm, 1e-6) ** 2", "max(length_mm, 1e-6)", LOADS),
    Mutation("nothing hangs in the air", "loads/pulls.py", "(1 - aired) * resin.density_kg_per_m3", "resin.density_kg_per_m3", LOADS),
    Mutation("a vented cup without a vent counts as vented", "loads/pulls.py", "(openings.state == SEALED) | ((drawn.vents == 0) & (drawn.narrow_kpa == 0))", "openings.state == SEALED", CUPS + LOADS),
    Mutation("a tip's second piece replaces its first", "loads/sharing.py", "by_tip[:, holders.tip[h]] += load[:, h]", "by_tip[:, holders.tip[h]] = load[:, h]", LOADS),
    Mutation("a tip bends by its square", "loads/sharing.py", "np.pi * wide**3 / 32", "np.pi * wide**2 / 32", LOADS),
    Mutation("the plate is half as stiff", "loads/holders.py", "modulus_mpa * 2 * np.sqrt", "modulus_mpa * 1 * np.sqrt", LOADS + ("test_second_methods",)),
    Mutation("necks stay as they were though a tip holds beyond them", "loads/tug.py", "held.tobytes(), self.pulls", 'b"", self.pulls', LOADS),
    Mutation("what passes through is not cut", "model/exact.py", "(low[:, None] <= near_mm[:, 1]) & (high[:, None] >= near_mm[:, 0])", "(low[:, None] >= near_mm[:, 0]) & (high[:, None] <= near_mm[:, 1])", ("test_model",)),
    Mutation("a tip that the plate needs is looked for step by step", "support/tuning.py", "range(BY_HALVES)", "range(0)", ("test_needed",)),
    Mutation("who goes still holds", "loads/one_other.py", "[self._tip_of == tip] = 0", "[self._tip_of == tip] = NEVER", ("test_one_other",)),
    Mutation("one may hold less than told", "loads/_kernels/springs.py", "if weak.sum() > limits.most or", "if weak.sum() > limits.most + 1 or", ("test_one_other",)),
    Mutation("a tip that is thick enough is told off", "support/sizes.py", "(settings.wanted_margin * MARGIN_RESERVE))", "settings.wanted_margin)", ("test_one_other",)),
    Mutation("tips bend by their square", "support/sizes.py", "* MARGIN_RESERVE) ** (1 / 3)", "* MARGIN_RESERVE) ** (1 / 2)", ("test_tip_sizes",)),
    Mutation("one piece that hangs on nothing lets all tips hold nothing", "support/thinning.py", "return 0.0 if np.isinf(weakest)", "return 0.0 if tug.is_adrift or np.isinf(weakest)", ("test_needed",)),
    Mutation("a piece that was lost counts anew in each layer", "support/tuning.py", "adrift & ~np.isin(run, run[adrift & was])", "adrift & ~was", ("test_needed",)),
    Mutation("a refused spot gets its tip back", "support/barred.py", "return spots.only(self._clear_of(spots, len(self.spots) - self.refused))", "return spots", ("test_falls_short",)),
    Mutation("a post that runs along the part ends there", "support/slender.py", "PASSES_MM, ASIDE_MM = 6.0, 0.3", "PASSES_MM, ASIDE_MM = 0.0, 0.3", ("test_found",)),
    Mutation("a pin over a tip is the tip's post", "support/slender.py", "if of.area_mm2[post] < EVEN * of.area_mm2[c]:", "if of.area_mm2[post] < 0:", ("test_found",)),
    Mutation("what grazes the part ends there", "support/recognise.py", "for c in sorted(found) if c not in on_the_way]", "for c in sorted(found)]", ("test_found",)),
    Mutation("the posts of a ladder do not give", "support/bracing.py", "diagonals + chords)", "diagonals)", ("test_bracing",)),
    Mutation("diagonals are all as thin as twigs", "support/bracing.py", "Brace(f\"brace-{supports.last + 1}\", upper, lower, thick_mm)", "Brace(f\"brace-{supports.last + 1}\", upper, lower)", ("test_bracing",)),
    Mutation("a post that has no room gets stouter", "support/bearing.py", "(size > posts.diameter_mm + 1e-6) & ~posts.stays", "size > posts.diameter_mm + 1e-6", ("test_bracing",)),
    Mutation("posts that have no room are not braced", "support/bearing.py", "(posts.stays | (posts.diameter_mm", "((posts.diameter_mm", ("test_bracing",)),
    Mutation("a post that has no room is told to have it", "support/routing.py", "narrow=narrow and not route.shared", "narrow=False", ("test_bracing",)),
    Mutation("posts may touch the part", "support/routing.py", "LEAST_CLEAR_MM, SQUEEZE_MM = 0.25, 0.12, 0.03", "LEAST_CLEAR_MM, SQUEEZE_MM = 0.25, 0.03, 0.03", ("test_bracing",)),
    Mutation("lots of layers are not sewn together", "model/level.py", "new[again] = False", "new[again] = True", ("test_level",)),
    Mutation("company that helps goes, what does not stays", "propose/judged.py", "lacking[what].lacks > HELPS * lacked", "lacking[what].lacks < HELPS * lacked", ("test_falls_short",)),
    Mutation("company comes to the last spot that is tried", "support/company.py", "        if lack < least_lack:", "        if lack <= least_lack + 9:", ("test_falls_short",)),
    Mutation("pads of the base stand where they take most resin", "support/standing.py", "found.append((float(takes.min()), tried[takes.argmin()]))", "found.append((float(takes.min()), tried[(takes * (takes < np.inf)).argmax()]))", ("test_standing",)),
    Mutation("a base gets wider one way only", "support/standing.py", "    ways, middle = np.column_stack((np.cos(turn), np.sin(turn))), feet.mean(axis=0)", "    ways, middle = np.column_stack((np.cos(turn) ** 0, 0 * turn)), feet.mean(axis=0)", ("test_standing",)),
    Mutation("pads of the base stay though they are not asked for", "support/tuning.py", "    for spots in (np.empty((0, 2)), *fewer):", "    for spots in ():", ("test_shifting",)),
    Mutation("pads that no post stands on are not looked for", "support/found_base.py", "        while len(pads) < MOST_PADS:", "        while False:", ("test_found_bases",)),
    Mutation("a tip beside what begins need not reach it", "support/room.py", "if wide <= tips.largest_tip_mm:", "if True:", ("test_bracing",)),
    Mutation("a tip comes where one stands", "support/room.py", "if route is None or np.linalg.norm(have - route.spot_mm, axis=1).min(initial=np.inf) < tips.smallest_tip_mm:", "if route is None:", ("test_bracing",)),
    Mutation("a beginning is carried from where it looks up", "propose/judged.py", "way = room.way_under(spot, supports)", "way = (found, 0.4) if (found := room.way_to(spot, supports)) else None", ("test_falls_short",)),
    Mutation("a tip goes on as a pin over it", "support/slender.py", "            came += [b for b in ran_in if not _is_contact(of, down(of, b, standing, told))]", "            came += ran_in", ("test_found",)),
    Mutation("walls of no thickness stay where tips ended", "propose/found.py", "unfolded(mended(left, Mend(\"weld\", WELD_MM))[0])", "mended(left, Mend(\"weld\", WELD_MM))[0]", ("test_found",)),
    Mutation("folds stay", "model/folds.py", "faces[on_another] if on_another.any() else faces[mesh.face_area_mm2[faces].argmin()]", "faces[mesh.face_area_mm2[faces].argmax()]", ("test_health",)),
    Mutation("tips are sized where no layer sets", "propose/lighting.py", "depth_ratio >= SETS", "depth_ratio >= 0.0", ("test_lighting",)),
    Mutation("a tip stands far beside what begins", "support/leading.py", "if why is NeedKind.ISLAND and (under :=", "if why is NeedKind.STEADIES and (under :=", ("test_beginnings",)),
    Mutation("keels are held where they begin alone", "support/spots.py", "LEVEL_SINE = np.sin(np.radians(15))", "LEVEL_SINE = 0.0", ("test_beginnings",)),
    Mutation("slender legs are supports", "support/slender.py", "        if _is_contact(of, down(of, climb.thinnest, may_be, told)):", "        if c < 0 and _is_contact(of, down(of, climb.thinnest, may_be, told)):", ("test_found",)),
    Mutation("what stands on contacts is supports", "support/slender.py", "            may_be[[c, *beyond]] = False", "            may_be[beyond] = False", ("test_found",)),
    Mutation("a shell that is mostly supports is one", "support/recognise.py", "alone = (of_shell > 0.5 * all_of) & small", "alone = of_shell > 0.5 * all_of", ("test_found",)),
    Mutation("what reaches into the part counts as taper", "support/slender.py", "> SAME * of.area_mm2[way[0]]).argmax()) - 1, 0) :]", "> SAME * of.area_mm2[way[0]]).argmax()) - 99, 0) :]", ("test_found",)),
    Mutation("company stands in a hole", "support/company.py", "forbidden, room.mouths_mm), spacing", "forbidden), spacing", ("test_falls_short",)),
    Mutation("a tip meets what it ends in and no more", "support/limbs.py", "spot + lap, tip, min(tip, wide)", "spot, tip, min(tip, wide)", ("test_found",)),
    Mutation("a needle's end in a tip is the contact", "support/recognise.py", "                    thinnest += 1", "                    thinnest += 0", ("test_found",)),
    Mutation("posts in one another's way are the part's own", "support/slender.py", "slender[c] or c in rows", "slender[c]", ("test_found",)),
    Mutation("a thin wall on the base is posts", "support/slender.py", "on_base[may_be] if _parts(of, slender, int(c))}", "on_base[may_be]}", ("test_found",)),
    Mutation("a taper goes on through the limb beside it", "support/recognise.py", "free = int(jumps.argmax()) + 1", "free = len(down)", ("test_found",)),
    Mutation("pinned tips grow to their shares", "propose/judged.py", "SLACK_MM and not contact.pinned\n        ]", "SLACK_MM\n        ]", ("test_falls_short",)),
    Mutation("an opening's set is as large as the opening", "layers/_kernels/void.py", "sets.volume_then[i + 1] = volume[root]", "sets.volume_then[i + 1] = volume[i + 1]", ("test_cups", "test_voids_reference")),
    Mutation("tips that went still hold undersides", "loads/_kernels/all_round.py", "if not stays[t]:", "if stays[t] < 0:", SAG),
    Mutation("posts do not give", "loads/holders.py", "gives += length / post_area", "gives += 0 * length / post_area", LOADS),
    Mutation("previews settle by thick layers", "loads/loads.py", "bench.print.layer_height_mm / layers_as_one, bench", "bench.print.layer_height_mm, bench", LOADS + ("test_job",)),
    Mutation("previews forget the layers between", "loads/loads.py", "layer_seconds(area, bench) * layers_as_one", "layer_seconds(area, bench)", LOADS + ("test_job",)),
    Mutation("weight pulls a neck", "loads/tug.py", "pulls.total_n - pulls.force_n[:, WEIGHT]", "pulls.total_n", LOADS),
    Mutation("sag under the layer itself", "loads/sag.py", "(points[:, 2] / t).astype(np.int64) + 1", "(points[:, 2] / t).astype(np.int64)", SAG),
    Mutation("a slope is twice as thick", "loads/sag.py", "+ 0.5 * reach * np.tan", "+ 1.0 * reach * np.tan", SAG),
    Mutation("a grid gives half as much", "loads/sag.py", "0.06 * 4]", "0.06 * 2]", SAG),
    Mutation("half the curl", "loads/sag.py", "bend = 6 * shrinkage", "bend = 3 * shrinkage", SAG),
    Mutation("ranges take the viscous pull to the power 1", "loads/ranges.py", "n = laws.rate_power", "n = 1.0", LOADS),
    # light
    Mutation("strength grows with the dose itself", "bench/green.py", "-np.expm1(-beta * np.maximum(np.asarray(ratio, float) - 1.0, 0.0))", "beta * np.maximum(np.asarray(ratio, float) - 1.0, 0.0)", LIGHT),
    Mutation("the setting rate does not count", "bench/green.py", "-np.expm1(-beta * ", "-np.expm1(-1.0 * ", LIGHT),
    Mutation("cold sets sooner", "bench/green.py", "resin.cure_gain_per_c * (resin.reference_c - vat_c)", "resin.cure_gain_per_c * (vat_c - resin.reference_c)", LIGHT),
    Mutation("the stated dose has no layer to go through", "bench/green.py", "reference_energy(resin, bench.laws) * through /", "reference_energy(resin, bench.laws) /", LIGHT),
    Mutation("later layers give all their light", "bench/green.py", "np.exp(-each * np.arange(1,", "np.exp(-0 * each * np.arange(1,", LIGHT),
    Mutation("blur by half", "bench/green.py", "0.5 * drawn / blur_mm, 1 /", "drawn / blur_mm, 1 /", LIGHT),
    Mutation("the first layers' motion is for one layer more", "bench/motion.py", "values[: bench.print.first_layers]", "values[: bench.print.first_layers + 1]", MOTION),
    Mutation("a rest leaves out the printer's own time", "bench/motion.py", "- self.wait_lifted_s - self.overhead_s", "- self.wait_lifted_s", MOTION),
    Mutation("the plate's surface does not hold a scraper", "loads/coming_off.py", "bench.laws.removal_mm * bench.printer.removal_factor", "bench.laws.removal_mm", OFF),
    Mutation("the widest layer breaks first", "loads/coming_off.py", "at = int(bears.argmin())", "at = int(bears.argmax())", OFF),
    Mutation("first light bonds every layer", "loads/coming_off.py", "stress[:, [LINE, VISCOUS]] *= by_bond[:, None]", "stress *= by_bond[:, None]", OFF),
    Mutation("a film thins with its minutes", "bench/after.py", "np.asarray(np.sqrt(metres2) * MM_PER_M)", "np.asarray(metres2 * MM_PER_M)", AFTER),
    Mutation("water cleans as the solvent does", "bench/after.py", "solvent = bath_ml * SOLVENT_KG_PER_M3[station.solvent] / 1000.0 * station.strength_share\n    return load_g", "solvent = bath_ml * SOLVENT_KG_PER_M3[station.solvent] / 1000.0\n    return load_g", AFTER),
    Mutation("the lamp shines all round", "bench/after.py", "MJ_PER_J / (station.lamp_mw_per_cm2 * station.lit_share)", "MJ_PER_J / station.lamp_mw_per_cm2", AFTER),
    Mutation("spacing by the square root", "loads/spacing.py", "max(pull, 1e-9))) ** 0.25", "max(pull, 1e-9))) ** 0.5", ("test_spacing",)),
    # layers
    Mutation("what rests on supports' last layer rests there twice", "layers/sections.py", "np.searchsorted(alike.upper, alike.first[upto + 1])", "np.searchsorted(alike.upper, high)", ("test_layers",)),
    Mutation("sections above supports keep the part's numbers", "layers/sections.py", "alike.label[beyond:] + shift", "alike.label[beyond:]", ("test_layers",)),
    Mutation("points beside one that was measured are as far off", "model/surface.py", "away[of] + np.linalg.norm(points - points[first][of], axis=1) > found", "away[of] + 0.0 * np.linalg.norm(points - points[first][of], axis=1) > found", ("test_health",)),
    Mutation("the search for a gap ends too soon", "model/between.py", "within_mm) + SLACK_MM)", "within_mm) - 0.05)", ("test_between",)),
    Mutation("what may be nearer is passed over", "model/_kernels/closest.py", "- 1e-9 * size", "+ 0.5 * size", ("test_health",)),
    Mutation("corners one after another are not one", "model/single.py", "(faces != np.roll(faces, 1, axis=1)).all(axis=1)", "(faces != np.roll(faces, 1, axis=1)).any(axis=1)", ("test_model",)),
    Mutation("corners that a file cannot tell apart stay", "model/single.py", "NEAR_MM = 1e-4", "NEAR_MM = 1e-9", ("test_model", "test_split")),
    Mutation("a bubble counts as a void", "model/health.py", "(shells.volume_mm3 <= -least_mm3)", "(shells.volume_mm3 <= 0.0)", ("test_drain",)),
    Mutation("voids that a model came with get no holes", "propose/drilling.py", "[*solid.chambers, *voids]", "[*solid.chambers]", ("test_drain",)),
    Mutation("what holes leave of voids is held as before", "propose/rooming.py", "return filled if all(", "return of.own if all(", ("test_drain",)),
    Mutation("tips are set for a drilled cup as for a shut one", "support/propose.py", "Trial(around.light, bench, progress, relief)", "Trial(around.light, bench, progress, None)", ("test_relief",)),
    Mutation("a tip is tried in a hole", "support/barred.py", "near = moves & (far < reach)", "near = moves & (far < 0.0 * reach)", ("test_relief",)),
    Mutation("what begins at a rim has its tip in the mouth", "support/room.py", "spots = self._off_rim(mouth, point_mm)", "spots = self.clearance.beside(point_mm, BESIDE_MM)", ("test_relief",)),
    Mutation("a thin tip at a rim stays thin", "support/room.py", "if id is None or reach[id] <=", "if id is None or 9 + reach[id] >", ("test_relief",)),
    Mutation("tips are judged without the holes of a shell", "predict/stages.py", "            self.drilled(part, hollowing),\n            tuple(h.id for h in part.holes),", "            () if fineness.filled else self.drilled(part),\n            () if fineness.filled else tuple(h.id for h in part.holes),", ("test_relief",)),
    Mutation("a slot holds as a round mouth does", "drain/pools.py", "any(w.long_mm > held_mm", "any(w.width_mm > held_mm", ("test_drain",)),
    Mutation("a narrow mouth of its own lets all pour", "drain/pools.py", "w.long_mm > held_mm", "w.long_mm > 0.0", ("test_drain",)),
    Mutation("a tail is as long as its room", "split/placing.py", "solid.any(axis=0)", "solid.all(axis=0)", ("test_split",)),
    Mutation("a rod is asked for where it ends alone", "model/_kernels/closest.py", "for s in range(spots.shape[0]):\n        x, y, z, reach", "for s in range(spots.shape[0] - 1, spots.shape[0]):\n        x, y, z, reach", ("test_bracing", "test_health")),
    Mutation("runs move the other way over the rows", "layers/runs.py", "first_row=runs.grid.first_row + rows", "first_row=runs.grid.first_row - rows", ("test_stages", "test_recipe", "test_kit")),
    Mutation("runs grow when they move", "layers/runs.py", "runs.x0 + along_mm, runs.x1 + along_mm", "runs.x0, runs.x1 + along_mm", ("test_stages", "test_recipe", "test_kit")),
    Mutation("added sections push by half", "layers/squeeze.py", "held + added**2 / (8 * np.pi)", "held + added**2 / (16 * np.pi)", ("test_away_from_defaults", "test_squeeze")),
    # handover
    Mutation("layers lie a row off", "handover/pixels.py", "first * finer - count // 2,", "first * finer - count // 2 + 1,", WRITTEN),
    Mutation("runs end half a pixel late", "handover/pixels.py", "beyond = np.ceil((x1 - left) / px - 0.5)", "beyond = np.ceil((x1 - left) / px)", WRITTEN),
    Mutation("grey fades the other way", "handover/_kernels.py", "covered[first] += first + 1 - start[n]", "covered[first] += start[n] - first", ("test_png",)),
    # drain
    Mutation("glugging costs nothing", "drain/pools.py", "(1.0 if aired else GLUG_SLOWER)", "1.0", ("test_drain",)),
    Mutation("a surface holds half its head", "drain/pools.py", "4 * tension / (2e-3 * h.radius_mm)", "2 * tension / (2e-3 * h.radius_mm)", ("test_drain",)),
    # predict
    Mutation("a mirrored print's holes point as before", "layers/attached.py", "along=there(self.along, np.zeros(3))", "along=self.along", ("test_away_from_defaults", "test_kit")),
    Mutation("a moved print's holes stay", "layers/attached.py", "entry_mm=entry, outer_mm", "entry_mm=self.entry_mm, outer_mm", ("test_away_from_defaults", "test_kit")),
    Mutation("a part is cast a row off", "predict/plate.py", "rows = math.floor(", "rows = math.ceil(", ("test_kit", "test_recipe", "test_job", "test_stages")),
    Mutation("supports stand in chambers", "predict/stage/part_runs.py", "return difference(supports, on_grid(cavity, supports.grid))", "return supports", ("test_job", "test_written_as_predicted")),
    Mutation("a tip in a hole is built", "predict/stages.py", "radius + 0.5 * c.diameter_mm for at, radius in mouths)", "-1 for at, radius in mouths)", ("test_job",)),
    Mutation("gussets forget the holes", "predict/stages.py", "stage.GussetInput(ceilings, _up(part), clear, part.shell.open_below)", "stage.GussetInput(ceilings, _up(part), (), part.shell.open_below)", ("test_gussets", "test_stages")),
    Mutation("previews have all first layers", "predict/prediction.py", "first_layers=-(-p.first_layers // layers_as_one)", "first_layers=p.first_layers", ("test_job", "test_stages")),
)  # fmt: skip


def mutated(mutation: Mutation, folder: Path) -> None:
    """A copy of the sources with one change.

    Raises
    ------
    ValueError : when the text to change is not there exactly once.
    """
    shutil.copytree(
        ROOT / "src", folder / "src", symlinks=True
    )  # compiled loops go along: only the changed file is compiled anew
    file = folder / CORE / mutation.file
    text = file.read_text(encoding="utf-8")
    if text.count(mutation.old) != 1:
        raise ValueError(f"{mutation.file}: `{mutation.old}` is there {text.count(mutation.old)} times")
    file.write_text(text.replace(mutation.old, mutation.new), encoding="utf-8")


def noticed(mutation: Mutation) -> bool:
    """Whether a test fails beside the change."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        mutated(mutation, folder)
        tests = [str(ROOT / "tests" / "core" / f"{name}.py") for name in dict.fromkeys(mutation.tests)]
        environment = dict(os.environ, PYTHONPATH=str(folder / "src"))
        for which in ("not prove", "prove"):  # what takes long last
            command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "-n", "0", "-m", which, *tests]
            run = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, timeout=PATIENCE_S)
            if run.returncode == FAILED:
                return True
            if run.returncode not in (0, NONE_CHOSEN):
                raise RuntimeError(run.stdout.decode()[-2000:] + run.stderr.decode()[-2000:])
        return False


def main(only: str) -> int:
    """Try all changes of a room, or of all; how many survived."""
    survived, tried = [], [m for m in MUTATIONS if m.file.startswith(only)]
    for mutation in tried:
        began = time.perf_counter()
        seen = noticed(mutation)
        if not seen:
            survived.append(mutation)
        mark = "noticed" if seen else "SURVIVED"
        print(f"{mark:9} {time.perf_counter() - began:4.0f} s  {mutation.file}: {mutation.what}", flush=True)
    print(f"{len(survived)} of {len(tried)} survived ({len(survived) / max(len(tried), 1):.0%})")
    return len(survived)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1] if len(sys.argv) > 1 else "") > 0.1 * len(MUTATIONS))

"""A hundred good runs without a false alarm, and two hundred losses seen within three layers wherever the cell can tell."""

from __future__ import annotations

import numpy as np

from reference.prints import made_expected
from wideberth.core.bench import Bench, load_bench
from wideberth.core.job import open_job
from wideberth.core.logbook import Alarm, Expected, Watch, expected_of
from wideberth.core.predict import Stages, fine, predict
from wideberth.demo import job_path
from wideberth.demo.simulated import Mishap, Play, hidden_of

GOOD, LOSSES = 100, 200
SOONEST = 60


def alarms_of(play: Play, watch: Watch) -> list[Alarm]:
    """All alarms of a run."""
    return [alarm for sample in play.layers() for alarm in watch.heard(sample)]


def prints(bench: Bench) -> list[Expected]:
    """The demo job, and made-up ones of two to four parts."""
    demo = expected_of(predict(open_job(job_path()), Stages(), fine()))
    return [demo, *(made_expected(n, bench, layers=700, prints=2 + n % 3, weakest=4.0, cups=n % 2 == 0) for n in range(7))]


def test_no_good_run_is_called_bad() -> None:
    bench = load_bench()
    of, false, others, good = prints(bench), 0, 0, 0
    seed = 0
    while good < GOOD:
        play = Play(of[seed % len(of)], bench, hidden_of(seed, bench), seed)
        told = alarms_of(play, Watch(of[seed % len(of)], bench))
        seed += 1
        if play.truth.lost or play.truth.off_plate is not None:
            continue  # it did let go, of itself
        good += 1
        false += any(a.kind in ("lost", "all") for a in told)
        others += any(a.kind not in ("lost", "all") for a in told)
    print(f"{good} good runs, {false} called lost; {others} told of a cold vat or a harder pull")
    assert false == 0


def test_a_loss_is_seen_within_three_layers_wherever_the_cell_can_tell() -> None:
    bench = load_bench()
    of, late, blind, named, missed = prints(bench), [], 0, 0, 0
    for seed in range(LOSSES):
        e, draw = of[seed % len(of)], np.random.default_rng(seed)
        at = Mishap("tip", int(draw.integers(SOONEST, e.layers - 10)), int(draw.integers(len(e.names))))
        play, watch = Play(e, bench, hidden_of(seed, bench), 10_000 + seed, at), Watch(e, bench)
        told: list[Alarm] = []
        since: int | None = None
        can_tell = False
        for sample in play.layers():
            if since is None and (since := play.truth.lost.get(at.print)) is not None:
                can_tell = all(watch.can_tell(at.print, min(k, e.layers - 1)) for k in range(since, since + 3))
            told += [a for a in watch.heard(sample) if a.kind in ("lost", "all")]
        if since is None or len(play.truth.lost) > 1 or not can_tell:
            blind += since is not None
            continue
        if not told:
            missed += 1
            continue
        late.append(told[0].layer - since + 1)
        last = told[-1]
        named += last.print == at.print or at.print in last.others or last.kind == "all"
    layers = np.bincount(np.maximum(late, 0)).tolist()
    print(
        f"{len(late) + missed} losses that the cell can tell, {blind} that it cannot; layers until told: {layers}; {missed} never"
    )
    print(f"{named} times the part was named, alone or among others")
    assert missed == 0 and np.mean(np.array(late) <= 3) > 0.97 and max(late) <= 6
    assert named >= 0.95 * len(late)

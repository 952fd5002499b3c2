"""What several commands are asked with: bench values on the command line, and a saved job or a model."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from wideberth.core.bench import Bench
from wideberth.core.errors import BadBench
from wideberth.core.job import Job, is_job, open_job


def with_values(bench: Bench, asked: list[str] | None) -> Bench:
    """A bench with values set as `section.key=value`.

    Raises
    ------
    BadBench : for what is no key, and for values out of range.
    """
    known = {b.key: b.value for b in bench.values()}
    for text in asked or []:
        key, sign, value = (piece.strip() for piece in text.partition("="))
        if not sign or key not in known:
            raise BadBench(f"`{text}` sets no key of a bench.", where="--set", remedy="Write it as print.exposure_s=3.")
        bench = bench.with_value(key, _value(value), "--set")
    return bench


def _value(text: str) -> object:
    """A number where it is one, nothing for `none`, true or false, else the text."""
    if text.lower() in ("none", "true", "false"):
        return {"none": None, "true": True, "false": False}[text.lower()]
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            continue
    return text


def saved_job(path: Path, asked: list[str] | None) -> Job | None:
    """The job that a file holds, with bench values set; None when it is a model.

    Raises
    ------
    BadJob, BadBench, BadModel : see `open_job` and `with_values`.
    """
    if path.suffix.lower() != ".3mf" or not path.is_file() or not is_job(path):
        return None
    job = open_job(path)
    return replace(job, bench=with_values(job.bench, asked))

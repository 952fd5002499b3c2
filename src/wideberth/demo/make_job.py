"""Make the finished demo job: `python -m wideberth.demo.make_job`. Whelk and bell, proposed by the program itself."""

from __future__ import annotations

import io
import zipfile

from wideberth.core.bench import load_bench
from wideberth.core.handover import save_job
from wideberth.core.job import Part, job_of
from wideberth.core.model import read_model
from wideberth.core.predict import Stages
from wideberth.core.propose import propose_all
from wideberth.core.saving import write_safely
from wideberth.demo import job_path, mesh_path

WHELK_SCALE = 1.3


def demo_parts() -> tuple[Part, ...]:
    """The whelk, larger than life so that a shell pays, and the ship's bell."""
    return (Part("Whelk", read_model(mesh_path("whelk")), scale=WHELK_SCALE), Part("Ship's bell", read_model(mesh_path("bell"))))


def main() -> None:
    """Propose and save."""
    stages = Stages()
    job, taken = propose_all(job_of("Harbour museum, touch table", load_bench(), demo_parts()), stages)
    for proposal in taken:
        print(f"{proposal.step}: {proposal.why}")
    save_job(job, job_path(), stages)
    write_safely(job_path(), packed_tighter(job_path().read_bytes()))


def packed_tighter(package: bytes) -> bytes:
    """The same package a quarter smaller; slow, so only for what is shipped."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(package)) as loose, zipfile.ZipFile(out, "w") as tight:
        for info in loose.infolist():
            tight.writestr(zipfile.ZipInfo(info.filename), loose.read(info), zipfile.ZIP_DEFLATED, 9)
    return out.getvalue()


if __name__ == "__main__":
    main()

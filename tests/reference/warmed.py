"""What a program that is to be killed over and over has loaded before it is made: all that saving and opening take."""

from __future__ import annotations

import tempfile
from pathlib import Path

import trimesh

from wideberth.core.bench import load_bench
from wideberth.core.handover import save_job
from wideberth.core.job import Part, job_of, open_job
from wideberth.core.model import Mesh, binary_stl, parse_model
from wideberth.core.predict import Stages

BOX = trimesh.creation.box((5, 5, 5))

with tempfile.TemporaryDirectory() as _folder:
    _path = Path(_folder) / "box.3mf"
    _source = parse_model("box", ".stl", binary_stl(Mesh(BOX.vertices, BOX.faces)))
    save_job(job_of("Box", load_bench(), (Part("Box", _source),)), _path, Stages())
    open_job(_path)

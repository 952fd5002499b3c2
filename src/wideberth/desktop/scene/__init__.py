"""The 3D view."""

import sys

sys.modules.setdefault("mypy", None)  # type: ignore[arg-type]  # the 3D library loads it where it is installed: 15 MB for nothing

from wideberth.desktop.scene.view import SceneView  # noqa: E402

__all__ = ["SceneView"]

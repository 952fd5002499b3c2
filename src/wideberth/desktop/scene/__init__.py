"""The 3D view."""

from wideberth.desktop.scene.view import SceneView

__all__ = ["SceneView"]

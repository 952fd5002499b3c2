"""Generate the demo meshes: `python -m wideberth.demo.make_meshes`. Deterministic; run it only to change them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import trimesh
from PIL import Image, ImageDraw, ImageFont
from scipy.ndimage import distance_transform_edt

from wideberth.core.model import Mesh, binary_stl, parse_model
from wideberth.demo import mesh_path
from wideberth.demo.shapes import Space, add_ball, add_chain, box, smooth_union, to_mesh, tube, turned
from wideberth.fonts import font_path

BRAILLE = {"w": "2456", "h": "125", "e": "15", "l": "123", "k": "13"}


def whelk() -> Mesh:
    """A whelk 74 mm tall: a spiral of growing whorls with ribs, its mouth open, its canal drawn out."""
    space = Space((-27, -27, -2), (30, 27, 76), 0.42)
    field, hollow = space.empty(), space.empty()
    turns = 6.35
    for angle in np.linspace(0, 2 * np.pi * turns, 1900):
        grown = np.exp(0.108 * (angle - 2 * np.pi * turns))
        centre = np.array([11.5 * grown * np.cos(angle), 11.5 * grown * np.sin(angle), 73 - 47 * grown])
        ribs = 1 + 0.06 * np.cos(10 * angle)
        add_ball(field, space, centre, 14.2 * grown * ribs, (0.95, 0.95, 1.12))
        if angle > 2 * np.pi * (turns - 0.33):
            add_ball(hollow, space, centre + [0, 0, -1.0], 10.6 * grown, (0.95, 0.95, 1.2))
    _, _, z = space.nodes()
    end = np.array([11.5 * np.cos(2 * np.pi * turns), 11.5 * np.sin(2 * np.pi * turns), 26])
    canal = space.empty()
    add_chain(
        canal,
        space,
        np.array([end * [0.75, 0.75, 0.8], [end[0] * 0.35, end[1] * 0.35, 8], [0, 0, 1.5]]),
        np.array([11.0, 6.0, 2.6]),
    )
    field = smooth_union(field, canal, 3.0)
    outward = np.array([end[0], end[1], 0]) / np.hypot(end[0], end[1])
    side = np.array([-outward[1], outward[0], 0])
    add_chain(hollow, space, np.array([end, end + 9 * side + 3 * outward]), np.array([10.2, 12.0]))
    add_chain(hollow, space, np.array([end + 6 * side, [6 * side[0], 6 * side[1], 4]]), np.array([6.5, 2.6]))
    cords = (0.11 * np.cos(2 * np.pi * z / 2.1)).astype(np.float32)
    return to_mesh(np.maximum(field + cords * (field > -3), -hollow), space, 62_000)


def bell() -> Mesh:
    """A ship's bell 62 mm tall, open below, with bands and a loop to hang it by. A cup, whichever way it stands."""
    space = Space((-30, -30, -1), (30, 30, 64), 0.38)
    outer = turned(space, [0, 2, 4, 10, 22, 34, 42, 46, 48], [28, 28, 26.5, 22.5, 19, 17.5, 15.5, 11, 6])
    inner = turned(space, [-4, 0, 4, 10, 22, 34, 41, 43.5], [25.6, 25.2, 23.2, 19.3, 15.9, 14.4, 11.0, 4])
    x, y, z = space.nodes()
    r = np.hypot(x, y)
    for height, radius in ((8.5, 23.2), (31, 17.9), (33.5, 17.7)):
        outer = np.minimum(outer, np.hypot(r - radius, z - height) - 0.75)
    loop = np.hypot(np.hypot(x, z - 53.5) - 6.0, y) - 2.1
    stem = tube(space, (0, 0), 4.0, 45, 49.5)
    solid = smooth_union(smooth_union(outer, stem, 2.0), loop.astype(np.float32), 1.5)
    return to_mesh(np.maximum(solid, -inner).astype(np.float32), space, 46_000)


def claw() -> Mesh:
    """A crab's claw 80 mm long: palm and wrist are two chambers when hollowed; teeth and knobs begin as islands."""
    space = Space((-38, -19, -2), (48, 21, 36), 0.4)
    palm = space.empty()
    add_ball(palm, space, np.array([-2, 0, 17]), 14.0, (1.45, 0.85, 1.0))
    fixed, moving = space.empty(), space.empty()
    bend = np.linspace(0, 1, 9)
    fixed_line = np.stack([10 + 33 * bend, 2 * bend, 11 - 5 * np.sin(2.4 * bend) + 6 * bend**2], axis=1)
    moving_line = np.stack([8 + 32 * bend, -1 + 2 * bend, 25 + 7 * np.sin(2.5 * bend) - 9 * bend**2], axis=1)
    add_chain(fixed, space, fixed_line, 7.6 * (1 - bend) + 1.1)
    add_chain(moving, space, moving_line, 6.4 * (1 - bend) + 1.0)
    for t in np.linspace(0.15, 0.8, 6):
        at = np.array([np.interp(t, bend, fixed_line[:, i]) for i in range(3)])
        add_ball(fixed, space, at + [0, 0, 6.9 * (1 - t) + 1.2], 1.5)
        at = np.array([np.interp(t + 0.05, bend, moving_line[:, i]) for i in range(3)])
        add_ball(moving, space, at - [0, 0, 5.7 * (1 - t) + 1.1], 1.3)
    wrist = space.empty()
    add_ball(wrist, space, np.array([-30, 0, 13]), 7.4, (0.9, 1.0, 1.0))
    neck = space.empty()
    add_chain(neck, space, np.array([[-26.0, 0, 13.5], [-19.0, 0, 15]]), np.array([1.9, 1.9]))
    knobs = space.empty()
    chance = np.random.default_rng(3)
    for _ in range(46):
        direction = chance.normal(size=3)
        direction /= np.linalg.norm(direction)
        spot = np.array([-2, 0, 17]) + direction * 13.9 * np.array([1.45, 0.85, 1.0])
        if spot[0] < 12:
            add_ball(knobs, space, spot, float(chance.uniform(0.6, 1.15)))
    body = smooth_union(smooth_union(palm, fixed, 5.0), moving, 2.0)
    body = np.minimum(smooth_union(smooth_union(body, knobs, 0.8), neck, 1.2), wrist)
    return to_mesh(smooth_union(body, wrist, 1.0).astype(np.float32), space, 54_000)


def name_plate() -> Mesh:
    """A lettered plate, 112 x 44 x 4.6 mm, with a frame, raised letters and a line of braille: one large flat face."""
    step = 0.2
    width, depth = 112.0, 44.0
    nx, ny = int(width / step), int(depth / step)
    picture = Image.new("L", (nx * 2, ny * 2), 0)
    pen = ImageDraw.Draw(picture)
    pen.text((nx, ny * 0.62), "The Whelk", 255, ImageFont.truetype(str(font_path("bold")), 150), anchor="mm")
    pen.text((nx, ny * 1.18), "please touch", 255, ImageFont.truetype(str(font_path("medium")), 76), anchor="mm")
    ink = np.asarray(picture.resize((nx, ny), Image.Resampling.BOX))[::-1] > 127
    relief = np.clip(distance_transform_edt(ink) * step * 1.6, 0, 1.1)
    x = (np.arange(nx) + 0.5) * step
    y = (np.arange(ny) + 0.5) * step
    edge = np.minimum(np.minimum(x, width - x)[None, :], np.minimum(y, depth - y)[:, None])
    relief = np.maximum(relief, np.clip(np.minimum(edge - 1.2, 3.0 - edge) * 1.6, 0, 1.2))
    dots = _braille("whelk", width, 8.4)
    for cx, cy in dots:
        r2 = (x[None, :] - cx) ** 2 + (y[:, None] - cy) ** 2
        relief = np.maximum(relief, np.sqrt(np.maximum(1.05**2 - r2, 0)))
    z = np.arange(-0.4, 5.6, step)
    field = np.maximum(z[None, None, :] - (3.2 + relief.T[:, :, None]), -z[None, None, :]) * 0.7
    corner = 3.0
    qx = np.abs(x - width / 2)[:, None] - (width / 2 - corner - 0.3)
    qy = np.abs(y - depth / 2)[None, :] - (depth / 2 - corner - 0.3)
    outline = np.hypot(np.maximum(qx, 0), np.maximum(qy, 0)) + np.minimum(np.maximum(qx, qy), 0) - corner
    field = np.maximum(field, outline[:, :, None]).astype(np.float32)
    space = Space((-width / 2, -depth / 2, -0.4), (0, 0, 0), step)
    return to_mesh(field, space, 70_000)


def _braille(word: str, width: float, y: float) -> list[tuple[float, float]]:
    """Centres of the dots of a word: 2.5 mm between dots, 6 mm between cells."""
    dots = []
    left = width / 2 - 6.0 * (len(word) - 1) / 2 - 1.25
    for number, letter in enumerate(word):
        for dot in BRAILLE[letter]:
            column, row = divmod(int(dot) - 1, 3)
            dots.append((left + 6.0 * number + 2.5 * column, y - 2.5 * (row - 1)))
    return dots


def cleat() -> Mesh:
    """A mooring cleat 88 mm long: two horns on two legs, a base with bolt holes, and a peg under it."""
    space = Space((-46, -15, -14), (46, 15, 34), 0.42)
    base = box(space, (0, 0, 2.5), (30, 12, 2.5), 1.6)
    horns = space.empty()
    bend = np.linspace(-1, 1, 25)
    line = np.stack([43 * bend, 0 * bend, 24 + 5.5 * np.abs(bend) ** 2.2], axis=1)
    add_chain(horns, space, line, 5.4 - 3.6 * np.abs(bend) ** 1.6)
    legs = space.empty()
    for side in (-1, 1):
        add_chain(legs, space, np.array([[14.0 * side, 0, 3], [12.0 * side, 0, 23]]), np.array([6.2, 4.6]))
    solid = smooth_union(smooth_union(base, legs, 4.0), horns, 3.0)
    peg = np.maximum(tube(space, (0, 0), 5.0, -12, 3), -box(space, (5.4, 0, -6), (1.2, 9, 7)))
    solid = np.minimum(solid, peg)
    for side in (-1, 1):
        x, y, z = space.nodes()
        bolt = np.maximum(np.hypot(x - 24.5 * side, y) - np.clip(z - 1.2, 2.2, 3.8), np.maximum(-1 - z, z - 8))
        solid = np.maximum(solid, -bolt)
    return to_mesh(solid.astype(np.float32), space, 42_000)


def lighthouse() -> Mesh:
    """A lighthouse 232 mm tall, too tall for the plate: rocks, tower with door and windows, gallery, lantern."""
    space = Space((-33, -33, -1), (33, 33, 234), 0.62)
    x, y, z = space.nodes()
    r, angle = np.hypot(x, y), np.arctan2(y, x)
    tower = turned(space, [0, 14, 40, 100, 165, 172, 176], [19, 18.5, 16.5, 14, 12, 12.2, 17.5])
    spiral = np.cos(angle - 2 * np.pi * z / 62)
    tower = tower + np.where((z > 22) & (z < 164), 0.35 * np.tanh(6 * (spiral - 0.25)), 0).astype(np.float32)
    gallery = tube(space, (0, 0), 18, 175, 179)
    solid = np.minimum(tower, gallery)
    lantern = turned(space, [178, 181, 202, 205], [11, 11.5, 11.5, 13.8])
    roof = turned(space, [203, 205, 210, 216, 221, 224, 226], [14.5, 14.2, 11.5, 7, 3.2, 1.6, 1.4])
    solid = np.minimum(np.minimum(solid, lantern), roof)
    solid = np.minimum(solid, np.sqrt(r**2 + (z - 227.5) ** 2).astype(np.float32) - 3.0)
    panes = np.abs(((angle + np.pi) % (np.pi / 4)) - np.pi / 8) * 11.5 - 3.3
    window = np.maximum(np.maximum(panes, np.abs(z - 192) - 8.0), 10.0 - r)
    solid = np.maximum(solid, -window)
    for step in range(16):
        a = 2 * np.pi * step / 16
        solid = np.minimum(solid, tube(space, (16.6 * np.cos(a), 16.6 * np.sin(a)), 0.75, 178, 188))
    for height in (183.0, 188.0):
        solid = np.minimum(solid, (np.hypot(r - 16.6, z - height) - 0.8).astype(np.float32))
    for turn, height in ((0.3, 60.0), (2.4, 92.0), (4.5, 124.0), (0.9, 150.0)):
        cx, cy = 14.5 * np.cos(turn), 14.5 * np.sin(turn)
        away = np.hypot(x - cx, y - cy)
        solid = np.maximum(solid, -np.maximum(away - 2.6, np.abs(z - height) - 4.0))
    door = np.maximum(np.hypot(x - 19, y) - 5.0, np.abs(z - 20) - 9)
    solid = np.maximum(solid, -door)
    rocks = space.empty()
    chance = np.random.default_rng(5)
    for _ in range(44):
        a, far = chance.uniform(0, 2 * np.pi), chance.uniform(15, 25)
        size = float(chance.uniform(3.5, 7.5))
        squash = (1.0, float(chance.uniform(0.7, 1.0)), float(chance.uniform(0.6, 1.2)))
        add_ball(rocks, space, np.array([far * np.cos(a), far * np.sin(a), chance.uniform(0, 7)]), size, squash)
    rocks = np.maximum(rocks, -z)
    return to_mesh(np.minimum(solid, rocks).astype(np.float32), space, 78_000)


MAKERS = {"whelk": whelk, "bell": bell, "claw": claw, "name plate": name_plate, "cleat": cleat, "lighthouse": lighthouse}


def write(mesh: Mesh, path: Path) -> None:
    """Write a mesh in the format of its ending, set down on z = 0."""
    mesh = mesh.moved(np.array([0.0, 0.0, -float(mesh.low[2])]))
    path.parent.mkdir(parents=True, exist_ok=True)
    single = Mesh(mesh.points.astype(np.float32).astype(np.float64), mesh.faces)
    mesh = parse_model("made", ".stl", binary_stl(single)).mesh  # without triangles that single precision collapses
    if path.suffix == ".stl":
        path.write_bytes(binary_stl(mesh))
    else:
        trimesh.Trimesh(mesh.points.astype(np.float32), mesh.faces, process=False).export(path)


def main() -> None:
    """Make all meshes."""
    for name, make in MAKERS.items():
        mesh = make()
        write(mesh, mesh_path(name))
        size = mesh_path(name).stat().st_size / 1e6
        print(
            f"{name}: {mesh.triangles:,} triangles, watertight {mesh.watertight}, {mesh.volume_mm3 / 1000:.1f} mL, {size:.1f} MB"
        )


if __name__ == "__main__":
    main()

"""The compiled loop that shares pulls over holders."""

import math

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def share_pulls(layers, pull_first, pull_x, pull_y, pull_n, pull_body, tip_x, tip_y, tip_stiffness, tip_moment,
                tip_body, patch_x, patch_y, patch_area, patch_stiffness, patch_component, component_body):  # fmt: skip
    """Share the pulls of each body of each layer over its holders as over springs (a pile group).

    Returns the load on each tip (layers, tips), and per layer: greatest stress on a plate patch, pull that nothing
    holds, unresolved moment over what tips resist by their own bending (greatest of the layer's bodies), and a tip of
    the body it is greatest for.
    """
    tips, patches = tip_x.size, patch_x.size
    load = np.zeros((layers, tips))
    stress = np.zeros(layers)
    unheld = np.zeros(layers)
    unsteady = np.zeros(layers)
    unsteady_tip = np.full(layers, -1, np.int64)
    for k in range(layers):
        lo, hi = pull_first[k], pull_first[k + 1]
        done = np.zeros(hi - lo, np.uint8)
        for p in range(lo, hi):
            if done[p - lo]:
                continue
            body = pull_body[p]
            force = fx = fy = 0.0
            for q in range(p, hi):
                if pull_body[q] == body:
                    done[q - lo] = 1
                    force += pull_n[q]
                    fx += pull_n[q] * pull_x[q]
                    fy += pull_n[q] * pull_y[q]
            if force <= 0.0:
                continue
            total = sx = sy = bending = 0.0
            for t in range(tips):
                if tip_body[k, t] == body:
                    total += tip_stiffness[t]
                    sx += tip_stiffness[t] * tip_x[t]
                    sy += tip_stiffness[t] * tip_y[t]
                    bending += tip_moment[t]
            touching = False
            for t in range(patches):
                if component_body[k, patch_component[t]] == body:
                    touching = True
                    total += patch_stiffness[t]
                    sx += patch_stiffness[t] * patch_x[t]
                    sy += patch_stiffness[t] * patch_y[t]
            if total <= 0.0:
                unheld[k] += force
                continue
            cx, cy = sx / total, sy / total
            xx = xy = yy = 0.0
            for t in range(tips):
                if tip_body[k, t] == body:
                    dx, dy = tip_x[t] - cx, tip_y[t] - cy
                    xx += tip_stiffness[t] * dx * dx
                    xy += tip_stiffness[t] * dx * dy
                    yy += tip_stiffness[t] * dy * dy
            if touching:
                for t in range(patches):
                    if component_body[k, patch_component[t]] == body:
                        dx, dy = patch_x[t] - cx, patch_y[t] - cy
                        own = patch_area[t] / 12.0
                        xx += patch_stiffness[t] * (dx * dx + own)
                        xy += patch_stiffness[t] * dx * dy
                        yy += patch_stiffness[t] * (dy * dy + own)
            mx, my = fx - force * cx, fy - force * cy
            alpha, beta, left = _tilt(xx, xy, yy, mx, my, total)
            if not touching and left / max(bending, 1e-12) > unsteady[k]:
                unsteady[k] = left / max(bending, 1e-12)
                for t in range(tips):
                    if tip_body[k, t] == body:
                        unsteady_tip[k] = t
            for t in range(tips):
                if tip_body[k, t] == body:
                    dx, dy = tip_x[t] - cx, tip_y[t] - cy
                    load[k, t] = tip_stiffness[t] * (force / total + alpha * dx + beta * dy)
            if touching:
                for t in range(patches):
                    if component_body[k, patch_component[t]] == body:
                        dx, dy = patch_x[t] - cx, patch_y[t] - cy
                        f = patch_stiffness[t] * (force / total + alpha * dx + beta * dy)
                        stress[k] = max(stress[k], f / patch_area[t])
    return load, stress, unheld, unsteady, unsteady_tip


@njit(cache=True, nogil=True)
def _tilt(xx, xy, yy, mx, my, total):
    """Pseudo-inverse of the group's second moments times the moment, and the size of what is left unresolved."""
    mean, half = 0.5 * (xx + yy), math.hypot(0.5 * (xx - yy), xy)
    big, small = mean + half, mean - half
    angle = 0.5 * math.atan2(2 * xy, xx - yy)
    ux, uy = math.cos(angle), math.sin(angle)
    along, across = mx * ux + my * uy, -mx * uy + my * ux
    floor = max(1e-6 * big, 1e-4 * total)
    a = b = left = 0.0
    if big > floor:
        a = along / big
    else:
        left += along * along
    if small > floor:
        b = across / small
    else:
        left += across * across
    return a * ux - b * uy, a * uy + b * ux, math.sqrt(left)

"""The compiled loops: pulls shared over holders, and pressures balanced over holes."""

import math

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def share_pulls(layers, pull_first, pull_x, pull_y, pull_n, pull_body, tip_x, tip_y, tip_stiffness, tip_moment,
                tip_capacity, tip_gone, tip_body, patch_x, patch_y, patch_area, patch_stiffness, patch_component,
                component_body):  # fmt: skip
    """Share the pulls of each body of each layer over its holders as over springs (a pile group).

    Parameters
    ----------
    pull_n : (pulls, causes); the pulls of each cause are shared alike. tip_capacity : pull at which a tip lets go and from
        then on is gone, infinite to look at the loads alone. tip_gone : layer from which a tip holds nothing.

    Returns
    -------
    Load on each tip (layers, tips, causes); per layer, by cause, the stress on the plate patch that has the greatest;
    per layer the pull that nothing holds, and the unresolved moment over what tips resist by their own bending (greatest of
    the layer's bodies) with a tip of that body; the layer at which each tip was gone.
    """
    tips, causes = tip_x.size, pull_n.shape[1]
    load = np.zeros((layers, tips, causes))
    stress = np.zeros((layers, causes))
    unheld = np.zeros(layers)
    unsteady = np.zeros(layers)
    unsteady_tip = np.full(layers, -1, np.int64)
    gone = tip_gone.copy()
    patch = np.zeros(causes)
    for k in range(layers):
        lo, hi = pull_first[k], pull_first[k + 1]
        done = np.zeros(hi - lo, np.uint8)
        for p in range(lo, hi):
            if done[p - lo]:
                continue
            body = pull_body[p]
            force, fx, fy = np.zeros(causes), np.zeros(causes), np.zeros(causes)
            for q in range(p, hi):
                if pull_body[q] == body:
                    done[q - lo] = 1
                    for c in range(causes):
                        force[c] += pull_n[q, c]
                        fx[c] += pull_n[q, c] * pull_x[q]
                        fy[c] += pull_n[q, c] * pull_y[q]
            if force.sum() <= 0.0:
                continue
            while True:
                total, cx, cy, bending, touching = _middle(
                    k, body, tip_x, tip_y, tip_stiffness, tip_moment, gone, tip_body, patch_x, patch_y, patch_stiffness,
                    patch_component, component_body,
                )  # fmt: skip
                if total <= 0.0:
                    unheld[k] += force.sum()
                    break
                xx, xy, yy = _moments(
                    k, body, cx, cy, touching, tip_x, tip_y, tip_stiffness, gone, tip_body, patch_x, patch_y, patch_area,
                    patch_stiffness, patch_component, component_body,
                )  # fmt: skip
                alpha, beta, left = np.zeros(causes), np.zeros(causes), np.zeros(2)
                for c in range(causes):
                    alpha[c], beta[c], left_x, left_y = _tilt(
                        xx, xy, yy, fx[c] - force[c] * cx, fy[c] - force[c] * cy, total
                    )
                    left[0] += left_x
                    left[1] += left_y
                worst, weakest = 1.0, -1
                for t in range(tips):
                    if tip_body[k, t] == body and k < gone[t]:
                        dx, dy = tip_x[t] - cx, tip_y[t] - cy
                        mine = 0.0
                        for c in range(causes):
                            load[k, t, c] = tip_stiffness[t] * (force[c] / total + alpha[c] * dx + beta[c] * dy)
                            mine += load[k, t, c]
                        if mine / tip_capacity[t] > worst:
                            worst, weakest = mine / tip_capacity[t], t
                if weakest >= 0:
                    gone[weakest] = k
                    load[k, weakest, :] = 0.0
                    continue
                bent = math.hypot(left[0], left[1]) / max(bending, 1e-12)
                if not touching and bent > unsteady[k]:
                    unsteady[k] = bent
                    for t in range(tips):
                        if tip_body[k, t] == body and k < gone[t]:
                            unsteady_tip[k] = t
                if touching:
                    for t in range(patch_x.size):
                        if component_body[k, patch_component[t]] == body:
                            dx, dy = patch_x[t] - cx, patch_y[t] - cy
                            for c in range(causes):
                                f = patch_stiffness[t] * (force[c] / total + alpha[c] * dx + beta[c] * dy)
                                patch[c] = f / patch_area[t]
                            if patch.sum() > stress[k].sum():
                                stress[k] = patch
                break
    return load, stress, unheld, unsteady, unsteady_tip, gone


@njit(cache=True, nogil=True)
def _middle(k, body, tip_x, tip_y, tip_stiffness, tip_moment, gone, tip_body, patch_x, patch_y, patch_stiffness,
            patch_component, component_body):  # fmt: skip
    """Stiffness of a body's holders, their weighted middle, what tips can bend, and whether it touches the plate."""
    total = sx = sy = bending = 0.0
    touching = False
    for t in range(tip_x.size):
        if tip_body[k, t] == body and k < gone[t]:
            total += tip_stiffness[t]
            sx += tip_stiffness[t] * tip_x[t]
            sy += tip_stiffness[t] * tip_y[t]
            bending += tip_moment[t]
    for t in range(patch_x.size):
        if component_body[k, patch_component[t]] == body:
            touching = True
            total += patch_stiffness[t]
            sx += patch_stiffness[t] * patch_x[t]
            sy += patch_stiffness[t] * patch_y[t]
    if total <= 0.0:
        return 0.0, 0.0, 0.0, 0.0, False
    return total, sx / total, sy / total, bending, touching


@njit(cache=True, nogil=True)
def _moments(k, body, cx, cy, touching, tip_x, tip_y, tip_stiffness, gone, tip_body, patch_x, patch_y, patch_area,
             patch_stiffness, patch_component, component_body):  # fmt: skip
    """Second moments of a body's holders about their middle: Σ k X², Σ k X Y, Σ k Y²."""
    xx = xy = yy = 0.0
    for t in range(tip_x.size):
        if tip_body[k, t] == body and k < gone[t]:
            dx, dy = tip_x[t] - cx, tip_y[t] - cy
            xx += tip_stiffness[t] * dx * dx
            xy += tip_stiffness[t] * dx * dy
            yy += tip_stiffness[t] * dy * dy
    if touching:
        for t in range(patch_x.size):
            if component_body[k, patch_component[t]] == body:
                dx, dy = patch_x[t] - cx, patch_y[t] - cy
                own = patch_area[t] / 12.0
                xx += patch_stiffness[t] * (dx * dx + own)
                xy += patch_stiffness[t] * dx * dy
                yy += patch_stiffness[t] * (dy * dy + own)
    return xx, xy, yy


@njit(cache=True, nogil=True)
def _tilt(xx, xy, yy, mx, my, total):
    """Pseudo-inverse of the group's second moments times the moment, and what is left unresolved of it."""
    mean, half = 0.5 * (xx + yy), math.hypot(0.5 * (xx - yy), xy)
    big, small = mean + half, mean - half
    angle = 0.5 * math.atan2(2 * xy, xx - yy)
    ux, uy = math.cos(angle), math.sin(angle)
    along, across = mx * ux + my * uy, -mx * uy + my * ux
    floor = max(1e-6 * big, 1e-4 * total)
    a = b = left_along = left_across = 0.0
    if big > floor:
        a = along / big
    else:
        left_along = along
    if small > floor:
        b = across / small
    else:
        left_across = across
    left_x, left_y = left_along * ux - left_across * uy, left_along * uy + left_across * ux
    return a * ux - b * uy, a * uy + b * ux, left_x, left_y


@njit(cache=True, nogil=True)
def balance(need, held, way_a, way_b, resistance, aired, seal):
    """Under-pressure of void sets such that what flows in through their ways is what each needs; between 0 and `seal`.

    `held` fixes a set's pressure, NaN leaves it loose. A way with `aired` over 0 passes that times √drop, else drop / resistance.
    Each loose set in turn is balanced by bisection with the others held (Gauss and Seidel): flows rise with their drop, so it
    converges. A set without a way is sealed.
    """
    n = need.size
    pa = np.where(np.isnan(held), 0.0, held)
    for _ in range(200):
        change = 0.0
        for s in range(n):
            if not math.isnan(held[s]):
                continue
            low, high, served = 0.0, seal, False
            for w in range(way_a.size):
                served = served or way_a[w] == s or way_b[w] == s
            if not served:
                low = seal
            while high - low > 1e-6:
                middle = 0.5 * (low + high)
                flow = 0.0
                for w in range(way_a.size):
                    if way_a[w] != s and way_b[w] != s:
                        continue
                    drop = middle - pa[way_b[w] if way_a[w] == s else way_a[w]]
                    if aired[w] > 0.0:
                        flow += math.copysign(aired[w] * math.sqrt(abs(drop)), drop)
                    else:
                        flow += drop / resistance[w]
                if flow < need[s]:
                    low = middle
                else:
                    high = middle
            change = max(change, abs(high - pa[s]))
            pa[s] = high
        if change < 1e-3:
            break
    return pa


@njit(cache=True, nogil=True)
def farthest(label, middle, length, y, cos, sin, pitch, count):
    """How far each component reaches from its centroid along its own axes u and v, from the ends of its runs, (count,) each."""
    far_u, far_v = np.full(count, 1e-9), np.full(count, 1e-9)
    for r in range(label.size):
        c = label[r]
        for end in (-0.5, 0.5):
            x = middle[r] + end * length[r]
            for edge in (-0.5, 0.5):
                over = y[r] + edge * pitch
                far_u[c] = max(far_u[c], abs(cos[c] * x + sin[c] * over))
                far_v[c] = max(far_v[c], abs(cos[c] * over - sin[c] * x))
    return far_u, far_v

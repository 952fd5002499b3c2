"""The compiled loops: pulls shared over holders, and pressures balanced over holes."""

import math

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def share_pulls(
    layers,
    pull_first,
    pull_x,
    pull_y,
    pull_n,
    pull_body,
    tip_x,
    tip_y,
    tip_stiffness,
    tip_moment,
    tip_capacity,
    tip_gone,
    tip_body,
    patch_x,
    patch_y,
    patch_area,
    patch_stiffness,
    patch_component,
    component_body,
):
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
                    k,
                    body,
                    tip_x,
                    tip_y,
                    tip_stiffness,
                    tip_moment,
                    gone,
                    tip_body,
                    patch_x,
                    patch_y,
                    patch_stiffness,
                    patch_component,
                    component_body,
                )
                if total <= 0.0:
                    unheld[k] += force.sum()
                    break
                xx, xy, yy = _moments(
                    k,
                    body,
                    cx,
                    cy,
                    touching,
                    tip_x,
                    tip_y,
                    tip_stiffness,
                    gone,
                    tip_body,
                    patch_x,
                    patch_y,
                    patch_area,
                    patch_stiffness,
                    patch_component,
                    component_body,
                )
                alpha, beta, left = np.zeros(causes), np.zeros(causes), np.zeros(2)
                for c in range(causes):
                    alpha[c], beta[c], left_x, left_y = _tilt(xx, xy, yy, fx[c] - force[c] * cx, fy[c] - force[c] * cy, total)
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
def _middle(
    k,
    body,
    tip_x,
    tip_y,
    tip_stiffness,
    tip_moment,
    gone,
    tip_body,
    patch_x,
    patch_y,
    patch_stiffness,
    patch_component,
    component_body,
):
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
def _moments(
    k,
    body,
    cx,
    cy,
    touching,
    tip_x,
    tip_y,
    tip_stiffness,
    gone,
    tip_body,
    patch_x,
    patch_y,
    patch_area,
    patch_stiffness,
    patch_component,
    component_body,
):
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
def through_holes(
    first, void_set, breathes, drawn, sets, resistance, air, hole_z, begun_z, whole_z, viscosity, top_z, depth, seal, drilled
):
    """Under-pressure that drilled holes and the model's own narrow ways leave in the void set of each opening, layer by layer.

    Parameters
    ----------
    first : (layers + 1,) first opening of each layer. void_set, breathes, drawn : (openings,) set (0 outside), whether holes
        serve it, what the lift draws in. sets : (layers, 2 x holes) void set at both mouths of each hole, below 0 not known.
    resistance : (holes, layers) at unit viscosity, infinite while a hole is not there. air : (holes,) flow of air per
    √Pa. hole_z, begun_z, whole_z : (holes,) heights of its
        middle, and between which it is half printed. viscosity, top_z : (layers,). depth : of the resin. seal : pressure [Pa].
    drilled : the first so many holes are drilled ones.

    Returns
    -------
    Under-pressure [Pa], how many drilled holes and how many others serve its set, whether one of them is above the resin,
    (openings,) each.
    """
    holes = resistance.shape[0]
    pressure, vents = np.full(void_set.size, seal), np.zeros(void_set.size, np.int64)
    others = np.zeros(void_set.size, np.int64)
    in_air = np.zeros(void_set.size, np.bool_)
    for k in range(top_z.size):
        lo, hi = first[k], first[k + 1]
        if not breathes[lo:hi].any():
            continue
        names = np.zeros(1 + hi - lo + 2 * holes, np.int64)
        need, held = np.zeros(names.size), np.full(names.size, np.nan)
        count, held[0] = 1, 0.0
        for i in range(lo, hi):
            if void_set[i] != 0:
                s = _place(names, count, void_set[i])
                count = max(count, s + 1)
                need[s] += drawn[i]
                if not breathes[i]:
                    held[s] = seal
        own = count
        most = holes * (2 + count)
        way_a, way_b, way_hole = np.empty(most, np.int64), np.empty(most, np.int64), np.empty(most, np.int64)
        ways = 0
        served = np.zeros(names.size, np.bool_)
        for b in range(holes):
            inner, outer = sets[k, 2 * b], sets[k, 2 * b + 1]
            if inner < 0 or outer < 0 or inner == outer or math.isinf(resistance[b, k]):
                continue
            s = _place(names, count, inner)
            count = max(count, s + 1)
            t = _place(names, count, outer)
            count = max(count, t + 1)
            way_a[ways], way_b[ways], way_hole[ways] = s, t, b
            served[s] = served[t] = True
            ways += 1
        for s in range(1, own):
            for b in range(holes):
                if not served[s] and begun_z[b] < top_z[k] <= whole_z[b]:
                    way_a[ways], way_b[ways], way_hole[ways] = s, 0, b
                    ways += 1
        used = way_hole[:ways]
        aired = np.where(hole_z[used] < top_z[k] - depth, air[used], 0.0)
        pa = balance(need[:count], held[:count], way_a[:ways], way_b[:ways], resistance[used, k] * viscosity[k], aired, seal)
        for i in range(lo, hi):
            if void_set[i] == 0:
                continue
            s = _place(names, count, void_set[i])
            pressure[i] = pa[s]
            for w in range(ways):
                if way_a[w] == s or way_b[w] == s:
                    if way_hole[w] < drilled:
                        vents[i] += 1
                    else:
                        others[i] += 1
                    in_air[i] |= aired[w] > 0.0
    return pressure, vents, others, in_air


@njit(cache=True, nogil=True)
def _place(names, count, name):
    """Where a name stands among the first `count`; there is put a new one."""
    for s in range(count):
        if names[s] == name:
            return s
    names[count] = name
    return count


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


@njit(cache=True, nogil=True)
def neck_stresses(first, links, lower, area, x, y, axes, asked, tipped, force, by_x, by_y):
    """Greatest stress in sections that alone hold what lies beyond them, from the film's side down to the plate.

    What is connected beyond a layer is a group; it keeps the pull of each layer in it and the pull's first moments. Groups are
    numbered as they begin; those that join become the lower of them.

    Parameters
    ----------
    first : (layers + 1,) first component of each layer. links : (components + 1,) a component's first link, `lower` : the
        component below of each. axes : (components, 4), see `_principal`. asked, tipped : (components,) whether its stress is
        wanted, whether tips hold it. force, by_x, by_y : (components,) pull on it and its first moments.

    Returns
    -------
    Stress, pull, moment, and the layer that is peeled then, (components,) each; 0 where nothing was found.
    """
    count, layers = area.size, first.size - 1
    stress, pull, moment = np.zeros(count), np.zeros(count), np.zeros(count)
    peeling = np.zeros(count, np.int64)
    group = np.full(count, -1, np.int64)
    pulls = np.zeros((8, 3, layers))
    held, free = np.zeros(8, np.bool_), np.ones(8, np.bool_)
    for k in range(layers - 1, -1, -1):
        lo, hi = first[k], first[k + 1]
        above = first[min(k + 2, layers)]
        foot = np.full(held.size, -1, np.int64)  # of each group: none yet, the one component it stands on, or several
        for u in range(hi, above):
            for link in range(links[u], links[u + 1]):
                c, g = lower[link], group[u]
                foot[g] = c if foot[g] == -1 or foot[g] == c else -2
        for c in range(lo, hi):
            if asked[c]:
                together = np.zeros((3, layers))
                some = False
                for g in range(held.size):
                    if not free[g] and foot[g] == c and not held[g]:
                        together += pulls[g]
                        some = True
                if some:
                    worst_section(c, k + 1, together, x, y, area, axes, stress, pull, moment, peeling)
        for u in range(hi, above):
            for link in range(links[u], links[u + 1]):
                c, g = lower[link], group[u]
                if group[c] < 0:
                    group[c] = g
                elif group[c] != g:
                    keep, gone = min(group[c], g), max(group[c], g)
                    pulls[keep] += pulls[gone]
                    held[keep] |= held[gone]
                    for other in range(lo, above):
                        if group[other] == gone:
                            group[other] = keep
                    free[gone] = True
        for g in range(held.size):
            if not free[g] and not (group[lo:hi] == g).any():
                free[g] = True  # it ended here, on nothing
        for c in range(lo, hi):
            if group[c] < 0:
                if not free.any():
                    pulls = np.concatenate((pulls, np.zeros(pulls.shape)))
                    held = np.concatenate((held, np.zeros(held.size, np.bool_)))
                    free = np.concatenate((free, np.ones(free.size, np.bool_)))
                g = np.argmax(free)
                free[g], held[g], group[c] = False, False, g
                pulls[g] = 0.0
            g = group[c]
            pulls[g, 0, k] += force[c]
            pulls[g, 1, k] += by_x[c]
            pulls[g, 2, k] += by_y[c]
            held[g] |= tipped[c]
    return stress, pull, moment, peeling


@njit(cache=True, nogil=True)
def worst_section(c, start, pulls, x, y, area, axes, stress, pull, moment, peeling):
    """Note the layer from `start` on whose pull stresses a section most: σ = F/A + M_u/W_u + M_v/W_v."""
    cos, sin, modulus_u, modulus_v = axes[c]
    for k in range(start, pulls.shape[1]):
        force = pulls[0, k]
        aside_x, aside_y = pulls[1, k] - x[c] * force, pulls[2, k] - y[c] * force
        moment_u = abs(cos * aside_y - sin * aside_x)  # of the pull's place along v
        moment_v = abs(cos * aside_x + sin * aside_y)
        here = force / area[c] + moment_u / modulus_u + moment_v / modulus_v
        if k == start or here > stress[c]:
            stress[c], pull[c], moment[c], peeling[c] = here, force, math.hypot(moment_u, moment_v), k

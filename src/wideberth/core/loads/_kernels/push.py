"""What presses on posts, layer by layer."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def hardest_pushes(tip_n, viscous, weight, returns, post, stiff):
    """The push on each post in the layer where it is greatest over how stiff the post is then, and that layer, (posts,).

    Parameters
    ----------
    tip_n : (layers, tips, causes) shares of the pull; viscous, weight : the causes that a return turns round. returns : (layers,)
    how hard a return pushes beside how hard the lift peels. post : (tips,) the post of each. stiff : (layers, posts).
    """
    layers, posts = stiff.shape
    push, hardest, worst = np.zeros(posts), np.full(posts, -np.inf), np.zeros(posts, np.int64)
    returning, lifting = np.empty(posts), np.empty(posts)
    for k in range(layers):
        returning[:] = 0.0
        lifting[:] = 0.0
        for t in range(post.size):
            returning[post[t]] += returns[k] * tip_n[k, t, viscous] - tip_n[k, t, weight]
            for cause in range(tip_n.shape[2]):
                lifting[post[t]] -= tip_n[k, t, cause]
        for p in range(posts):
            most = max(returning[p], lifting[p])
            if most / stiff[k, p] > hardest[p]:
                hardest[p], push[p], worst[p] = most / stiff[k, p], max(most, 0.0), k
    return push, worst

"""Crumbs: specks of soft rims, which resampling leaves next to a figure, and which are no figures by themselves."""

from __future__ import annotations

import math

import numpy as np

from ..model.geometry import Box
from ..pixels import Pixels
from .islands import Labels, boxes_of, masses

CRUMB_MASS, FIGURE_MASS = 1 / 40, 1 / 8
"""A crumb has less than this share of a usual figure's alpha. A figure has at least this share of the largest one's."""

LEAST_REACH, REACH = 3.0, 0.12
"""A crumb belongs to the figure that is so many pixels away at most, or this share of a usual figure's side."""


def join_crumbs(labels: Labels, sheet: Pixels) -> None:
    """Give crumbs the labels of the figures next to them, in place. Crumbs that are far from all figures stay.

    Cost: one pass, and a distance transform of the surroundings of each crumb.
    """
    mass = masses(labels, sheet[..., 3])
    if np.count_nonzero(mass) < 2:
        return
    usual = float(np.median(mass[mass >= FIGURE_MASS * mass.max()]))
    is_figure = mass >= CRUMB_MASS * usual
    crumbs = [(label, box) for label, box in boxes_of(labels).items() if not is_figure[label]]
    reach = max(LEAST_REACH, REACH * usual**0.5)
    # All owners are found before any crumb gets its label, so that no crumb is a bridge to the next one.
    owners = [_nearest(labels, label, box, is_figure, reach) for label, box in crumbs]
    for (label, box), owner in zip(crumbs, owners, strict=True):
        if owner:
            inside = labels[box.y : box.bottom, box.x : box.right]
            inside[inside == label] = owner


def _nearest(labels: Labels, crumb: int, box: Box, is_figure: np.ndarray, reach: float) -> int:
    """Return the label of the figure that is nearest to a crumb; 0 if none is within reach."""
    from scipy import ndimage

    around = math.ceil(reach)
    top, left = max(0, box.y - around), max(0, box.x - around)
    near = labels[top : box.bottom + around, left : box.right + around]
    figures = is_figure[near]
    if not figures.any():
        return 0
    away, nearest = ndimage.distance_transform_edt(~figures, return_indices=True)
    away[near != crumb] = np.inf
    y, x = np.unravel_index(int(away.argmin()), away.shape)
    return int(near[nearest[0][y, x], nearest[1][y, x]]) if away[y, x] <= reach else 0

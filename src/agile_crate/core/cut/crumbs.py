"""Crumbs: specks of soft rims, which resampling leaves next to a figure, and which are no figures by themselves."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..pixels import Pixels

Labels = NDArray[np.int32]
"""The number of each pixel's island, 0 where nothing is visible; shape (h, w)."""

CRUMB_MASS, FIGURE_MASS = 1 / 40, 1 / 8
"""A crumb has less than this share of a usual figure's alpha. A figure has at least this share of the largest one's."""

LEAST_REACH, REACH = 3.0, 0.12
"""A crumb belongs to the figure that is so many pixels away at most, or this share of a usual figure's side."""


def masses(labels: Labels, alpha: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Return the alpha of each island in wholly covered pixels; the first entry is that of no island."""
    return np.bincount(labels.ravel(), alpha.ravel() / 255.0).astype(np.float64)


def join_crumbs(labels: Labels, sheet: Pixels) -> None:
    """Give crumbs the labels of the figures next to them, in place. Crumbs that are far from all figures stay.

    Cost: a distance transform of the sheet, if it has crumbs.
    """
    from scipy import ndimage

    mass = masses(labels, sheet[..., 3])[1:]
    if len(mass) < 2:
        return
    usual = float(np.median(mass[mass >= FIGURE_MASS * mass.max()]))
    crumbs = np.flatnonzero((mass > 0) & (mass < CRUMB_MASS * usual)) + 1
    if not len(crumbs):
        return
    is_crumb = np.isin(labels, crumbs)
    away, nearest = ndimage.distance_transform_edt(is_crumb | (labels == 0), return_indices=True)
    y, x = np.nonzero(is_crumb)
    order = np.argsort(away[y, x], kind="stable")[::-1]  # the closest pixel of each crumb is looked at last, and stays
    closest = np.zeros(len(mass) + 1, np.intp)
    closest[labels[y[order], x[order]]] = order
    at = closest[crumbs]
    is_near = away[y[at], x[at]] <= max(LEAST_REACH, REACH * usual**0.5)
    owners = np.arange(len(mass) + 1, dtype=labels.dtype)
    owners[crumbs[is_near]] = labels[nearest[0][y[at], x[at]], nearest[1][y[at], x[at]]][is_near]
    labels[:] = owners[labels]

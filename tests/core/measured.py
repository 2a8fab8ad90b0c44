"""Measured pictures, made up from the energies that a rule is about."""

import numpy as np
import numpy.typing as npt

from oddmeter.core.pictures.report import BANDS, OVER, Measures, Series

FAR = 255.0


def evenly(table: npt.NDArray[np.float64]) -> Series:
    """Energies of the five pairs, shape (frames, five), as those of bands that are all alike."""
    weighted = np.concatenate([np.ones((len(table), 1)), table], axis=1)
    return np.repeat(weighted[:, :, None], BANDS, axis=2)


def measured(bands: Series, change: Series, regions: Series) -> Measures:
    """Measures of so much change, none of which motion explains."""
    return Measures(0, bands, change, np.full((len(bands), OVER), FAR), regions, change)

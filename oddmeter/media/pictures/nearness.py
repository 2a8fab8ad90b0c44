"""Nearness: how near one small picture can be brought to another by moving its parts (dense inverse search, Kroeger et
al. 2016, as in OpenCV)."""

import cv2
import numpy as np
import numpy.typing as npt

Grey = npt.NDArray[np.uint8]


def brought_near(first: Grey, second: Grey) -> Grey:
    """The second picture moved onto the first, as far as a quick search finds the way."""
    finder = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
    forth = np.asarray(finder.calc(first, second, None), np.float32)  # type: ignore[call-overload]
    columns, rows = np.meshgrid(
        np.arange(first.shape[1], dtype=np.float32), np.arange(first.shape[0], dtype=np.float32)
    )
    at = np.dstack([columns, rows]) + forth
    return np.asarray(cv2.remap(second, at, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.uint8)  # type: ignore[call-overload]

"""Waiting for what must happen: as long as something goes forward, however busy the machine is."""

import time
from collections.abc import Callable


def wait_until(true: Callable[[], bool], going_on: Callable[[], object] = lambda: None, patience: float = 300) -> None:
    """Return as soon as ``true`` is. Give up only where ``going_on`` has said the same for ``patience`` seconds."""
    said, since = going_on(), time.monotonic()
    while not true():
        now = going_on()
        if now != said:
            said, since = now, time.monotonic()
        assert time.monotonic() - since < patience, f"nothing went on for {patience:.0f} seconds: {said}"
        time.sleep(0.05)

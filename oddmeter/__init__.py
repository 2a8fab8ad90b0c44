"""Odd Meter: conform off-rate footage to the timeline's rate, exactly and for a whole batch at once."""

import os

# What is multiplied here is small; threads of their own that spin for more have kept a process busy for half an hour.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

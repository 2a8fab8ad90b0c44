"""Odd Meter: conform off-rate footage to the timeline's rate, exactly and for a whole batch at once."""

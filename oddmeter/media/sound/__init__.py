"""Samples: ``track`` cuts and makes a clip's sound by the plan, part by part, ``along`` on a course whose speed
changes, ``pitch`` at another speed with its pitch kept; ``reader`` decodes from anywhere, ``hearing`` is what the Bench
plays and draws, ``beats`` finds the beats of music, ``wav`` is the file that is played."""

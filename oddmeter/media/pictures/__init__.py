"""Pixels: ``planes`` (samples, lines and colour as they are stored), ``units`` (the pictures a map counts), ``light``
and ``flow`` (moments between two of them), ``raster`` (into the timeline's frame), ``stills`` (to look at)."""

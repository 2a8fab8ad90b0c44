"""Pixels: ``planes`` (samples, lines and colour as they are stored), ``units`` (the pictures a map counts), ``light``
(moments of several of them: sums by ``adding``, curves by ``transfer``, both in ``powers``), ``raster`` (into the
timeline's frame), ``colours`` (into a timeline's), ``nearness`` (is it another shot), ``stills`` (to look at),
``sharing`` (what two threads share)."""

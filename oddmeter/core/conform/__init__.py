"""What follows from material and treatment: ``speeds`` gives a ``Conform`` with its ``frame_map``, which alone says
what is shown when (``maps``). ``strips`` describe and ``seeking``
searches a map; ``routes`` and ``rounding`` offer other numbers, ``arithmetic`` writes the division out; ``framing``,
``sound`` and ``proof`` are raster, samples, and what a made file must show."""

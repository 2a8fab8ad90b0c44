"""What is known about a clip, and why: ``facts`` (what the file says), ``claims`` (every source, ``hints`` of names,
``logs`` and their ``matching``, ``film``, ``proxies``), ``verdicts`` drawn from them, ``findings`` all of it for one
clip, and the ``vocabulary`` in which questions are put."""

"""Frame maps: what every timeline frame looks at. ``frame_map`` is the interface and what is on screen; ``straight``
the map of one stride, ``cadence`` its rhythm; ``timed`` the map of a path of source time (``paths``, laid through the
points of a curve by ``segments``) over the units' own times (``rulers``), many ``moments`` at once."""

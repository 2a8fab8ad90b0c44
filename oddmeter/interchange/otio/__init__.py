"""OpenTimelineIO, through its library: ``reading`` makes a cut of a timeline, ``writing`` a timeline of a cut. What is
not known here travels along, unread."""

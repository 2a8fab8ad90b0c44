"""Looking at all pictures of a clip: ``measures`` reduces each to a few numbers, ``analyse`` walks the clip and asks
the core what they mean, ``guarded`` does that and probing in a helper process with bounds on time and memory;
``moments`` finds where the action starts, stops, peaks and turns."""

"""Models that more than one stop shows or takes: ``values`` (rates, lengths, claims), ``facts``, ``strips``,
``plans``, ``changes``, ``decisions``; ``asked`` is what requests ask with."""

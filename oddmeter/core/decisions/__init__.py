"""What is wanted of a clip: ``parts`` that can be decided, ``levels`` that decide them, the ``treatment`` that comes
of it, ``recipes`` with rules, ``curves`` and ``music``, and the ``vocabulary`` of choices, examples and defaults."""

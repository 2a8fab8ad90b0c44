"""What is wanted of a clip: ``parts`` that can be decided, ``levels`` that decide them, the ``treatment`` that comes
of it, ``recipes`` with rules, and the ``vocabulary`` of choices, examples and defaults."""

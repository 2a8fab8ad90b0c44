"""Packages: made files with all that proves them, in one folder. ``sheet`` is the document that says what they are,
``closing`` puts a package together, ``verifying`` holds one against its own word, and against its sources."""

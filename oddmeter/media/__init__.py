"""Pixels and samples of real files: rooms ``files``, ``analysis``, ``pictures``, ``sound`` and ``containers``;
on top of them ``making`` (the one way to a timeline frame's picture), ``render``, ``verify``, and ``viewing``
for the Bench."""

"""What files are written as: ``settings`` that can be asked for, and what the encoder library cannot tell its
writers, in ``matroska`` (a pixel shape) and ``quicktime`` (a field order)."""

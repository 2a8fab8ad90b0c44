"""What was handed off: ``sheets`` that were taken, and ``packages`` that were closed."""

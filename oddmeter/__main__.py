"""``python -m oddmeter`` is the same as the ``oddmeter`` command."""

from oddmeter.cli import main

main()

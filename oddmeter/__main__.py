"""``python -m oddmeter`` is the same as the ``oddmeter`` command."""

from oddmeter.cli import main

if __name__ == "__main__":
    main()

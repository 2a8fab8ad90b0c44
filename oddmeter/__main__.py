"""``python -m oddmeter`` is the same as the ``oddmeter`` command."""

if __name__ == "__main__":
    from oddmeter.cli import (
        main,
    )  # here: a helper process that begins imports this module, too (multiprocessing, spawn)

    main()

"""What files are made as: ``setting`` is what a person asks for; ``codecs``, ``sounds`` and ``containers`` are tables
of what the installed library writes, and ``samples`` knows its pixel formats; ``encoding`` joins them;
``shipped`` are the settings that every show has."""

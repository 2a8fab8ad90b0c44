"""The HTTP application: ``http`` and ``views`` are shared, ``stops`` has a room of routers for each stop; ``board``
keeps every clip of a show worked out, ``arrangement`` sorts and groups it, ``sides`` holds what the Bench shows, and
``app`` puts all of it together."""

"""Everything on one machine: a PostgreSQL cluster of our own, and the processes that ``./start`` runs."""

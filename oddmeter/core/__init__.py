"""The rules of the job: pure values and functions, without files, database, network, clock or framework.

Rooms, each importing only those before it: ``numbers``, ``pictures``, ``evidence``, ``decisions``, ``conform``,
``planning``. What their words mean is written in docs/model.md.
"""

"""Durable background work: tasks in the database's queue, and the worker that does them."""

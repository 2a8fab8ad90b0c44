"""Cuts: events on tracks, what each shows, and how they change."""

"""Cuts: events on tracks, what each shows, how they change, and what lists say of them."""

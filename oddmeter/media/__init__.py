"""Pixels and samples: probe, render and verify real media files."""

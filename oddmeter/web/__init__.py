"""The HTTP application: a router per stop, its models, and live events."""

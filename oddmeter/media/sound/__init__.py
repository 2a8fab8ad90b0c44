"""Samples: ``track`` reads and cuts a clip's sound by the plan, ``pitch`` runs it at another speed with its pitch
kept."""

"""The checks of a made file: its pictures, sounds and streams, each compared with the plan."""

"""What a made file is held against: its pictures, its sounds and its streams, each compared with the plan."""

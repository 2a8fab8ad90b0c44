"""The Tide Bell: made-up media drawn with real physics, and the show that holds them."""

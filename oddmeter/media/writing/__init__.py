"""How files are written: ``files`` into containers, ``numbered`` as folders of pictures, ``sounds`` into them or beside
them as WAV; ``holding`` says what a setting cannot hold, ``losses`` is what was lost, and ``placing`` gives what is
whole its final name."""

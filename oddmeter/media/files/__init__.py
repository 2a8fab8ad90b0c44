"""Files and the frames in them: ``probe`` and ``timestamps`` say what a file holds, ``sequence`` makes one clip of
numbered pictures, ``decode`` and ``access`` reach any frame by its number; ``shelf`` keeps small
files that can be made again."""

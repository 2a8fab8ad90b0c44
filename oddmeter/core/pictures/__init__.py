"""What a clip's pictures are, and what their few measured numbers say: ``scan`` and ``report`` are the words and the
finding; ``fields`` finds scan, order and pulldown, ``repeats`` what was held, ``blends`` what a converter mixed;
``originals`` lists the pictures behind all of that."""

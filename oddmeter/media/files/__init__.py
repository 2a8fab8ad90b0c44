"""Files and what lies in them: ``probe`` and ``timestamps`` say what a file holds, by ``walking`` through its
``packets`` and ``indexing`` its frames; ``sequence`` makes one clip of numbered pictures, ``opened`` opens what others
made, ``identity`` tells whether it is still the same; ``samples`` are the stored planes of a frame, ``heard`` is when
its sounds are heard; ``remarks`` says what is odd."""

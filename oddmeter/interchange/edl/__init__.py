"""Edit decision lists after CMX 3600: ``lines`` know what a line is, ``reading`` makes a cut of them, ``rates`` weighs
at which rate a list was counted, ``writing`` turns a cut into a list again."""

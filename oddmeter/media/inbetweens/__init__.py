"""In-betweens: ``search`` finds the motion of two pictures at a moment between them, ``cells`` chooses for each little
part how it moved and which picture shows it, ``flow`` draws it and says where it is to be trusted; ``patches`` are the
kernels all of that is counted with, compiled when Odd Meter is set up."""

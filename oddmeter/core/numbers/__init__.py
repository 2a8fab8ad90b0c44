"""Numbers that decide frames: ``rates`` (exact fractions and what people type), ``timecode`` (SMPTE ST 12-1),
``clock`` (the times of frames),
``numerals`` (whole numbers and fractions as text), and ``errors``, the refusal that every rule gives."""

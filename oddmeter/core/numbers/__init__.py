"""Numbers that decide frames: ``rates`` (exact fractions and what people type), ``timecode`` (SMPTE ST 12-1),
``clock`` (the times of frames), ``frame_index`` (which packet of a file shows which),
``numerals`` (whole numbers and fractions as text), and ``errors``, the refusal that every rule gives."""

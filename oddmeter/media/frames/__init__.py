"""The frames of a clip by their number: ``reaching`` comes to any of them without decoding all that lies before,
``access`` keeps a few at hand, ``decode`` reads them one after the other."""

"""Texts: the text in a file, whichever of the usual ways it is encoded in."""


def decoded(data: bytes) -> str:
    """The text of UTF-8, with a mark before it or not, UTF-16, or else of Windows' Western code page."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", errors="replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace")

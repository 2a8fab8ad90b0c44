"""Hash lists of delivered folders: ``hashes`` are the algorithms, ``mhl`` writes and reads ASC MHL, ``bagit`` BagIt
(RFC 8493)."""

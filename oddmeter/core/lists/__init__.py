"""Lists of cuts: what one says becomes events of clips that are found, what was decided survives its next version, and
events become a list again, or what is to be pulled for them."""

"""The header of a weights file, read within bounds and without loading it: what is in it, and what it needs."""

"""The variants against the reference: what is found (found.py), how (comparison.py), in a sentence (sentences.py)."""

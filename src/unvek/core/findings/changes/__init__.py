"""Before and after: the same variants in an older session and in a newer one, and whether anything has changed."""

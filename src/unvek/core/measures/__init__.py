"""An output (and its reference) -> numbers. Plain functions over arrays; nothing here knows of runs or files."""

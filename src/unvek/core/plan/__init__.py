"""A TOML file -> a checked Plan -> the cells and rounds of runs to make."""

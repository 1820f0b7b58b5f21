"""Reading a plan: TOML in, a checked plan out, or every problem at once."""

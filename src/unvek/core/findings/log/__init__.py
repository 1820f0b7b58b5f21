"""The runs themselves: a line each, one whole, their sessions, how well they were foreseen."""

"""The whole answer in one: every finding of a logbook, with the outputs, as a page that stands alone shows it."""

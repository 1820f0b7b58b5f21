"""From each older format of a logbook to the next: frozen, whatever becomes of today's tables."""

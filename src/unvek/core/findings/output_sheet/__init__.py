"""The outputs side by side: variants down, items across, and which of them differ most."""

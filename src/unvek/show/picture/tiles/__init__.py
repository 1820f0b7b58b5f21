"""One output each, drawn as a small picture of its own: a picture, frames, a sound, a text."""

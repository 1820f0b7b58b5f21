"""How the header of each format is read: a file of anything in, tensors out, or a sentence why not."""

"""What runs beside the model: standard library only, Python 3.8 and later, given to the model's interpreter by path."""

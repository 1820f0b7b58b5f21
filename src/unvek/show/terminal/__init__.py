"""What printed results are made of: console.py cleans texts from outside, views.py says where a result goes."""

"""What another task would have said: scores, drift, many texts as one, with intervals over tasks."""

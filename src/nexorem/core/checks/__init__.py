"""What is known to be true of a model's numbers, held against it."""

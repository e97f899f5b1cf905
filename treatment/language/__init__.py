"""What is read, shown and cited: quantities, readings, analytes, figures with their working, declared fields."""

"""What is told of a plan, from its figures."""

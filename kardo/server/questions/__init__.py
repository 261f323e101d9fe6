"""What is read, from rows to what is told; nothing here writes."""

"""What is done, a verb a file: checked, then carried out."""

"""The book: what was done in the field, and what may be expected of it."""

"""What came out: residuals, the verdict by the standard, the comparison with what was promised, and what is signed."""

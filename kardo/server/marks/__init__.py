"""The library of marks: what an organisation goes back to, with every version of its coordinates."""

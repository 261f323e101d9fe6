"""Open formats to core objects and back. Every reader works under limits and says what, where and how to mend."""

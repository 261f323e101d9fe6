"""Routes: parse, authorise, ask or act, answer."""

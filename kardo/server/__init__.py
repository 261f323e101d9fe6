"""The Django project: one app per concern, views that parse, authorise, call and answer."""

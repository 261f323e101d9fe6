"""What goes round every answer: nothing on a page reaches out, and a database that is away is told as such."""

from http import HTTPStatus

from django.db import OperationalError

from kardo.server.policy import POLICY
from kardo.server.problems import database_away, problem


class ContentSecurity:
    """Adds the content security policy to every answer, and words to one that refuses the method."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        response = self.get_response(request)
        if response.status_code == HTTPStatus.METHOD_NOT_ALLOWED:
            allowed = response.get("Allow", "")
            response = problem(405, f"{request.method} is not done here.", request.path[:200], f"Allowed: {allowed}.")
            response["Allow"] = allowed
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response


class DatabaseAway:
    """503 where the database does not answer, also before a view is reached."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        return self.get_response(request)

    def process_exception(self, request, exception):
        return database_away() if isinstance(exception, OperationalError) else None

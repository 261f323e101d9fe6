"""The front end's files, answered on the event loop: whoever asks for them, and never reads them, takes no thread."""

from typing import Any

from django.conf import settings
from whitenoise import WhiteNoise

from kardo.server.door.content_security import with_policy
from kardo.server.door.threads import Answer


class Assets:
    """What is built, as it was when the server began; packed where the browser takes that, and 304 where it has it."""

    def __init__(self) -> None:
        self._noise = WhiteNoise(
            None,
            root=settings.WEB_DIST,
            allow_all_origins=False,
            add_headers_function=with_policy,
            immutable_file_test=lambda path, url: url.startswith(
                "/assets/"
            ),  # their names carry a hash of what is in them
        )

    def answer(self, scope: Any) -> Answer | None:
        """The answer to a request for a file; None where it is for none."""
        file = self._noise.files.get(scope["path"])
        if file is None or scope["method"] not in ("GET", "HEAD"):
            return None
        asked = {
            f"HTTP_{name.decode('latin-1').upper().replace('-', '_')}": value.decode("latin-1")
            for name, value in scope["headers"]
        }
        found = file.get_response(scope["method"], asked)
        body = b""
        if found.file is not None:
            with found.file:
                body = found.file.read()
        headers = [(name.lower().encode("latin-1"), value.encode("latin-1")) for name, value in found.headers]
        return Answer(int(found.status), headers, body)

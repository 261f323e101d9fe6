"""The one small hierarchy of errors: each says what is wrong, where, and how to mend it."""


class KardoError(Exception):
    """Something the user can understand and mend.

    what: one sentence, the fact.  where: the object, line or field.  mend: what to do next.  spot: the place on the
    sheet, in grid metres. outline: what is drawn there because it could not be taken."""

    def __init__(
        self,
        what: str,
        *,
        where: str = "",
        mend: str = "",
        spot: tuple[float, float] | None = None,
        outline: tuple[tuple[float, float], ...] = (),
    ) -> None:
        super().__init__(what)
        self.what, self.where, self.mend, self.spot, self.outline = what, where, mend, spot, outline

    def __str__(self) -> str:
        return " ".join(part for part in (f"{self.where}:" if self.where else "", self.what, self.mend) if part)


class PlanError(KardoError):
    """The plan is not one that can be read or computed."""


class GeodesyError(KardoError):
    """A coordinate, height or reference system that cannot be used as given."""


class ReadError(KardoError):
    """A file or text from outside that cannot be taken."""


class NetworkError(KardoError):
    """The linear network is not well formed (an index out of range, a sigma that is not positive)."""

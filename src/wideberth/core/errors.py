"""One family of errors. Each says what happened, to what, what was kept and what to do."""

from __future__ import annotations


class WideBerthError(Exception):
    """Anything the user should read.

    Parameters
    ----------
    what : what happened, in one sentence.
    where : the file, part or setting it happened to.
    kept : what was left untouched.
    remedy : what the user can do now.
    """

    def __init__(self, what: str, *, where: str = "", kept: str = "", remedy: str = "") -> None:
        self.what, self.where, self.kept, self.remedy = what, where, kept, remedy
        super().__init__(self.text)

    @property
    def text(self) -> str:
        """The whole message on one line."""
        head = f"{self.where}: {self.what}" if self.where else self.what
        return " ".join(piece for piece in (head, self.kept, self.remedy) if piece)


class BadModel(WideBerthError):
    """A file that cannot be read as a mesh, or a mesh that cannot be used as asked."""


class BadBench(WideBerthError):
    """A bench file or value that is missing, misspelt or out of range."""


class BadJob(WideBerthError):
    """A job file that cannot be read, or a step that the job's present state does not allow."""


class BadLog(WideBerthError):
    """A logbook that cannot be read, or an entry that says what cannot be."""


class BadShelf(WideBerthError):
    """A shelf that cannot be read, or something that cannot be done with what is on it."""


class BadDevice(WideBerthError):
    """A printer, station or sensor that cannot be reached, or says what cannot be."""


class CannotWrite(WideBerthError):
    """A file or folder that could not be written. What stood there before is untouched."""


class Cancelled(Exception):
    """Raised inside long work when the user no longer wants its result."""

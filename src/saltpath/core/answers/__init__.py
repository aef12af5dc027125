"""What came back: an exchange as it went over the wire, the answer as checks see it, and the
subjects that read it."""

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.exchange import Exchange, Times
from saltpath.core.answers.subjects import Subject, find, read_subject

__all__ = ["Answer", "Exchange", "Subject", "Times", "find", "read_subject"]

"""Places in a document, and patterns in a text: JSONPath (RFC 9535), XPath 1.0, Python's patterns,
each with a limit on its time. What a tester's own text can make endless is a question that another
process can be asked (`offloading.py`)."""

from saltpath.core.paths.jsonpath import MISSING, Path, PathError, PathTimeout, read_path

__all__ = ["MISSING", "Path", "PathError", "PathTimeout", "read_path"]

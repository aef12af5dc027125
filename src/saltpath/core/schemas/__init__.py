"""JSON Schema, drafts 4 to 2020-12, compiled to closures: exact numbers, a sentence for each
keyword, nothing ever fetched.

`compile_schema` gives a `Schema`; that says whether a value follows it (`holds`) and where and why
it does not (`faults`). Documents that a schema refers to are handed in. `keywords/` has one entry
for each keyword: what it asks of a value, and how that is said.
"""

from saltpath.core.schemas.compiling import Schema, compile_schema
from saltpath.core.schemas.dialects import NEWEST, Dialect, address_of, dialect_of, metaschemas
from saltpath.core.schemas.documents import Unusable
from saltpath.core.schemas.faults import Fault

__all__ = [
    "NEWEST",
    "Dialect",
    "Fault",
    "Schema",
    "Unusable",
    "address_of",
    "compile_schema",
    "dialect_of",
    "metaschemas",
]

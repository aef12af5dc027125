"""The case format: `source.py` reads text with its lines, `reader.py` and `project.py` make types
of it, `writer.py` writes it, `schema.py` describes it as JSON Schema. docs/case-format.md explains
it to users."""

"""In and out: a project's files, the JSON report, JUnit XML. Nothing here sends, and nothing here
knows the store."""

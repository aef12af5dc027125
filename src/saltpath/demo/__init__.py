"""The demonstration: Fernholm Harbour's service, and a project that tests it. All made up."""

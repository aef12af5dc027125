"""Cases as rows of a sheet, one for each check, and rows as cases: what spreadsheets and the pages'
sheet read and write."""

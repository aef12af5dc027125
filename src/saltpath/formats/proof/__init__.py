"""What a supplier is held to, as a file: a page that can be printed and checked, a workbook."""

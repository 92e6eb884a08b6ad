"""How cells of a workbook look."""

"""Results of formulas are made right again when a workbook is saved."""

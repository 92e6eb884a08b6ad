"""Workbooks in Office Open XML (ISO/IEC 29500-1, clause 18): .xlsx and .xlsm."""

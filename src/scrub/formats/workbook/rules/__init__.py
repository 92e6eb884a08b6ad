"""Rules about cells: input rules and conditional formats."""

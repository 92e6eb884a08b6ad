"""Open Packaging Conventions (ISO/IEC 29500-2): what all office files of that family share."""

"""The version: workers of one run must have the same."""

VERSION = "0.1.0"

"""Noctilum keeps search history for many client websites, explains it, and reports it."""

__version__ = "0.1.0"

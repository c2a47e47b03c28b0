"""Noctilum keeps search history and explains it."""

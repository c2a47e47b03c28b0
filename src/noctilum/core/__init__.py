"""Calculation on numpy arrays and frozen dataclasses.

Law: no I/O, no SQL, no clock, no logging; the same input gives the same answer for ever.
"""

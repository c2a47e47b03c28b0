"""Readings arranged as a document, and documents rendered.

Law: arranges and renders, never computes a figure; no history, no records, no clock.
"""

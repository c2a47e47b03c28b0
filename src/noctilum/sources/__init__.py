"""Connectors to outside services, and file formats.

Law: a source fetches bytes and parses them purely into batches; it knows nothing of where days are kept.
"""

"""Clients, sites, sources, users and jobs, in one SQLite file with migrations.

Law: rows and their rules; knows nothing of history, of the network or of who is asking.
"""

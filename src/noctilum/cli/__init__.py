"""The command line: one command a module, one table of commands.

Law: goes through the client library, save serve, demo, init, token and import; prints, never computes a figure.
"""

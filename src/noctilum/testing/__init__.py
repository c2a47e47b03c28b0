"""Contract test classes that a connector inherits, and strategies for generated data.

Law: only tests import it.
"""

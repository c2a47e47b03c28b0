"""Small simulated outside services for demo and tests.

Law: they speak their protocol over HTTP and know nothing of Noctilum's store, records or readings.
"""

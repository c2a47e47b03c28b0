"""Pydantic models of all that crosses HTTP; the OpenAPI document and the console's types come from them.

Law: shapes only, no behaviour beyond checking; imports nothing but pydantic and the declared datasets.
"""

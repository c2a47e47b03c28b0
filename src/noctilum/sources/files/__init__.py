"""Files of figures: CSV, XLSX, NDJSON and Parquet, read in bounded memory and turned into typed columns.

Law: knows formats and words, never where days are kept; every row either comes out typed or is rejected with its line.
"""

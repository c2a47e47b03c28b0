"""Files of figures: CSV, XLSX, NDJSON and Parquet, read in bounded memory and turned into typed columns.

Law: knows formats and words, never where days are kept; every row either comes out typed or is rejected with its line.
"""

import pyarrow

# Arrow's own pools keep what is freed for later; a process that serves all day is better served giving it back.
pyarrow.set_memory_pool(pyarrow.system_memory_pool())

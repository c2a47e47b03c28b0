"""The demo agency, Tallow Lane: made-up clients, three years of history, all from one seeded model.

Law: sets the product up through its own actions, as a user would; adds no data by a back door.
"""

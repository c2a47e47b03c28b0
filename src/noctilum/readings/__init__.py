"""One module per kind of reading: question in, reading out.

Law: asks the history, computes with core, answers in wire models; knows no records, no HTTP, no clock.
"""

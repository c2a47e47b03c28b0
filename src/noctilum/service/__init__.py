"""The HTTP door: Flask, log-in, problems, the console's files.

Law: translates HTTP to actions and back; computes no figure and decides nothing.
"""

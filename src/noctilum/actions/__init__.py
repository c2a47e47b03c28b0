"""What the product does, one verb a module; the only room that introduces the others to each other.

Law: takes the clock and the settings as arguments; doors (service, jobs, cli) decide nothing themselves.
"""

"""The clock's door to the actions: a worker that takes jobs from the queue.

Law: translates job rows into actions and their progress back; decides nothing.
"""

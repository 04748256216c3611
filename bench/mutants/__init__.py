"""``./dev mutants``: puts small faults into the program one at a time, and counts how many the tests notice.

A line that is run is not yet a line that is checked. Each fault is one that changes what the program does: a
comparison turned, a constant off by one, *and* for *or*, a statement left out, two arguments swapped. They are sampled
with a seed, made in a copy of the tree, and the tests that reach them are run on each. With ``--record`` the whole
suite is run once before, and which functions each test runs is kept beside the tree; without it, and for what no test
was seen to run, these are the tests of the same folder and those elsewhere that import the file by its name. What
cannot change anything anybody sees is listed in ``aside.txt``, by name and with the reason.
"""

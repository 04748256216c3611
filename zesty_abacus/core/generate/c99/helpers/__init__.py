"""Functions that the code of messages calls, by name; one module a subject. ``@`` stands for the prefix of results.

Each module lists them so that one comes behind those that it calls.
"""

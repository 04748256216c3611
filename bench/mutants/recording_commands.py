"""Looks on in what is forked from the process that loads this."""

from bench.mutants.recording import InACommand

looks_on = InACommand()

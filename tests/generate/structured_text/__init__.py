"""The part of IEC 61131-3 structured text that generated code is written in: a grammar, and what it does when run."""

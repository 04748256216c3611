"""C by ISO/IEC 9899:1999: no heap, no globals, nothing but the standard library, and no undefined behaviour."""

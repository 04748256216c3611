"""What the program is handed on with: menu entry, manual page, packages."""

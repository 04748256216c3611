"""What a message means: places of bits, fields, layouts, their checks and their JSON form."""

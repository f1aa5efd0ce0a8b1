"""What a desktop needs to know of Grevin: menu entry, kind of its files, description, manual page."""

"""Fields: film cadence undone, true interlace deinterlaced."""

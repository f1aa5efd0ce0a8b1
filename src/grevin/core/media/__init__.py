"""Opening and writing material: video files, image sequences, proving what was written."""

"""The reel column: the whole reel, time running down."""

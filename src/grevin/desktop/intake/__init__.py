"""Taking in: the reels of the job, and what each really is."""

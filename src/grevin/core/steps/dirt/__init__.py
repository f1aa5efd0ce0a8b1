"""The dirt step: finding and filling specks that sit on one frame."""

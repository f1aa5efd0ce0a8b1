"""The window: Qt Widgets over the core. It is given values and draws them; it does no pixel arithmetic."""

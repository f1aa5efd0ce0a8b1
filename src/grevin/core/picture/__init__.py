"""Pictures: formats, frames in their native code values, colour, masks, display."""

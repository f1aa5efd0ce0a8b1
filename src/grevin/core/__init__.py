"""The computing core: no interface code, no printing, no global state."""

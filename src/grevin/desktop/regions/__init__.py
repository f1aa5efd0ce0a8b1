"""Drawing regions on the light table: where a step may act."""

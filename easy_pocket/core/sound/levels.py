"""How soft and how loud a voice, a part or a cell can be set, in dB."""

MIN_LEVEL_DB, MAX_LEVEL_DB = -60.0, 12.0

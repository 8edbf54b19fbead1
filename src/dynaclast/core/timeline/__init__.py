"""Numbers, places and cues over time: keys, channels, drives of animated bodies, travel of fields, when cues act."""

"""One panel for each station, beside the drawings."""

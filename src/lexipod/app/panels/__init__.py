"""The right column: one panel for each station or page of a station."""

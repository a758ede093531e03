"""The web: thin routes over core and store, and one socket per bench."""

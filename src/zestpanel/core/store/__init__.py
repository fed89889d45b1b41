"""The project folder: database, clips, journal of paid requests, migrations."""

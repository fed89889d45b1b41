"""Hand-off to production: narrations, the sheet that makes a sound again, and files as they are delivered."""

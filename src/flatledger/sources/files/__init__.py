"""Files: how they are opened, unpacked and decoded, and what every reader of one has."""

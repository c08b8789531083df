"""What is done to records as they come: fields added, texts split, rows made records."""

"""Records in, rows out: the heart. It opens no file and prints nothing."""

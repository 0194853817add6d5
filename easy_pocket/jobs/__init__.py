"""What takes long, or reads files from outside: done in processes of their own, so that no request waits for it."""

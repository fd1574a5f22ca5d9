"""What spans all stages: the thread, finding, arrangements of pages, whether a backup is whole."""

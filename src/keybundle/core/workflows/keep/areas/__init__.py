"""Where the files of what is filed lie."""

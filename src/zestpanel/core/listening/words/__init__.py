"""What is said to listeners, in their language: files of words, one a language. To add a language, add a file."""

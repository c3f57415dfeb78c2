"""What is asked about files and sets, the answers, and the habits that they teach."""

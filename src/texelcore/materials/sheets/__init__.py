"""What a master is: its document, its strands and blocks, whether it holds, and what it costs."""

"""What a check may take of the machine: memory, threads, what was read before."""

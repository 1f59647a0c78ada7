"""Long work: the job row is the truth, the queue only carries its id."""

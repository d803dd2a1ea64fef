"""Many runs of one model: which points are tried, and what follows from their figures."""

"""Many runs of one model at once, in processes here or on other machines, kept on disk."""

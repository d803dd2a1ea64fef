"""Many runs in the window: sweeps, sensitivities, best values."""

"""Where many runs are solved: processes of this machine, or a Dask cluster."""

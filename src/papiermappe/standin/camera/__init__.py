"""A stand-in camera: made-up pictures of the demo's papers on tables, single ones and sessions as a film."""

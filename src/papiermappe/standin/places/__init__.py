"""Stand-ins for places that documents go to: a mail server and an object store, with a page that shows what came in."""

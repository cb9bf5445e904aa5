"""The use cases, one module a station; each public function is one transaction."""

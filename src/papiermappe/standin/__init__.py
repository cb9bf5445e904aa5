"""What a fresh machine lacks, small and honest: scanners, and the made-up paper that lies in them."""

"""A page of paper: what it is printed on, its letters, its pictures, its flow, and pages at full size."""

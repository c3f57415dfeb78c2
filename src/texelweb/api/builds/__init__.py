"""What is built of sets: builds, proofs, and the stage."""

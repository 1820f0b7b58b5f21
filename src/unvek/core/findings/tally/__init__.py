"""What the verdicts come to: of people together, and of each model or program that judges apart."""

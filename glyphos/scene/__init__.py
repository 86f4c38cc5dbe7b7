"""Several lines in time: clips of speakers and beds of sound, who stands where, what the camera sees, the
mixed sound, and a movie of it."""

"""The Lighthouse Games Room: a made-up world, generated from a seed, with its faults and its tour."""

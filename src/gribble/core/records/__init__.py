"""Frozen records that pass between the stages, without any logic beyond properties."""

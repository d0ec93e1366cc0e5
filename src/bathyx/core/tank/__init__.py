"""Families of tanks build shells; capacity and attitude are computed from any shell."""

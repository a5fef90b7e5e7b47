"""Runs of many minutes: mutated recipes, kills, and random edits. ./run-tests --long"""

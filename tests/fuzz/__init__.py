"""Inputs that a fuzzer makes: what is fed, and the inputs that are kept."""

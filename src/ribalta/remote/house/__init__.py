"""A whole house: state and events for an existing broker, and commands from it."""

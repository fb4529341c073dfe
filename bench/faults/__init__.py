"""What goes wrong, on purpose: devices, receivers, processes."""

"""Where the application answers unless it is told otherwise, and how that is asked for."""

PORT, HERE = 8765, "127.0.0.1"
HOST_HELP = "An address to serve; others than this computer's need accounts."
DEMO_HELP = "Make deliveries to try it with, once."

"""What is carried: runs that are asked for, worked out beside the requests, and sent by stretches of frames."""

"""A simulated S3-compatible cloud: real sockets, real signatures, its objects on disk, and knobs for what goes wrong in one."""

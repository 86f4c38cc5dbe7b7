"""The UDP port on which a tracker is listened to, unless another is chosen."""

PORT = 9140

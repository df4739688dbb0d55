"""Which readers of the media library may open a file: those of footage, never of lists that lead to other files."""

from __future__ import annotations

# Names as the library knows them; playlists, lists to be joined, devices and network formats are not among them.
FOOTAGE = ",".join(
    (
        "mov", "mp4", "m4a", "3gp", "3g2", "mj2", "matroska", "webm", "mxf", "avi", "mpeg", "mpegts", "mpegvideo",
        "dv", "mjpeg", "h264", "hevc", "m4v", "obu", "ivf", "asf", "flv", "nut", "gxf", "lxf", "wav", "w64",
        "aiff", "caf", "flac", "mp3", "ogg", "aac", "image2", "png_pipe", "jpeg_pipe", "tiff_pipe", "dpx_pipe",
        "exr_pipe", "bmp_pipe", "webp_pipe", "jpegls_pipe", "j2k_pipe", "jpegxl_pipe",
    )
)  # fmt: skip
OPTIONS = {"protocol_whitelist": "file", "format_whitelist": FOOTAGE}

"""A frame that does nothing: what a worker of the capacity bench answers, in the form that real ones have."""

from __future__ import annotations

import time

from drawstring.runs.frame_log import worker_name
from drawstring.runs.run_plan import FrameAnswer, FrameTask, RunPlan

TAKES_S = 0.0


def idle_frame(plan: RunPlan, task: FrameTask) -> FrameAnswer:
    """Answer as a frame of 33 channels does that was written and proven."""
    time.sleep(TAKES_S)
    proof = {
        "reader": "OpenImageIO", "channels": 33, "equal": 33, "largest_difference": {},
        "copied": {"came": [f"layer{i:02d}.R" for i in range(32)]},
        "recomposed": {"depth_normalised": {"largest": 0.0, "mean": 0.0}},
    }  # fmt: skip
    says = ("read 5 channels of 1 file", "computed 3 channels", "wrote the file", "read back: 33 equal")
    steps = tuple({"at": 0.1 * i, "says": each} for i, each in enumerate(says))
    return FrameAnswer(
        task.number, 36_000_000, 0.7, "0" * 32, proof, log=steps, worker=worker_name(),
        memory_bytes=400_000_000,
    )  # fmt: skip

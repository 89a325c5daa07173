"""Times the kernels of Open3D (a general-purpose library) on clouds that `npm run bench -- reference` has written.

Usage: open3d_kernels.py DIR. Prints one JSON object, milliseconds by kernel, the shortest of some runs each.
"""

import json
import sys
import time

import numpy as np
import open3d as o3d


def best(times, run):
    least = float("inf")
    for _ in range(times):
        start = time.perf_counter()
        run()
        least = min(least, time.perf_counter() - start)
    return 1000 * least


def read(name):
    return o3d.io.read_point_cloud(f"{sys.argv[1]}/{name}.ply")


target, source, few = read("target"), read("source"), read("few")
start = np.eye(4)
start[:3, 3] = [0.3, -0.2, 0.1]
moved = o3d.geometry.PointCloud(source).transform(start)
registration = o3d.pipelines.registration


def icp(iterations):
    # Never settled, so that all iterations are done.
    criteria = registration.ICPConvergenceCriteria(1e-30, 1e-30, iterations)
    return registration.registration_icp(
        source, target, 2.0, start, registration.TransformationEstimationPointToPlane(), criteria
    )


# The tree is built once in each call, and that is not part of an iteration.
times = {
    "nearest": best(3, lambda: moved.compute_point_cloud_distance(target)),
    "icp": (best(3, lambda: icp(12)) - best(3, lambda: icp(1))) / 11,
    "normals": best(2, lambda: target.estimate_normals(o3d.geometry.KDTreeSearchParamKNN(30))),
    "thinning": best(3, lambda: target.voxel_down_sample(1.0)),
    "strays": best(2, lambda: target.remove_statistical_outlier(20, 2.0)),
    "fpfh": best(2, lambda: registration.compute_fpfh_feature(few, o3d.geometry.KDTreeSearchParamRadius(13))),
}
print(json.dumps({"version": o3d.__version__, "times": times}))

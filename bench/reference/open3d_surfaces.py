"""Surfaces of Open3D (a general-purpose library) from registered scans that `npm run bench -- fuse` has written.

Usage: open3d_surfaces.py DIR. Reads DIR/points.ply (with normals), DIR/frames.json and its depth images, writes
DIR/poisson.ply (screened, depth 9, trimmed by density) and DIR/tsdf.ply, prints the seconds each took as JSON.
"""

import json
import sys
import time

import numpy as np
import open3d as o3d

folder = sys.argv[1]
with open(f"{folder}/frames.json") as f:
    told = json.load(f)

cloud = o3d.io.read_point_cloud(f"{folder}/points.ply")
start = time.perf_counter()
mesh, density = o3d.geometry.TriangleMesh.create_from_point_cloud_poisson(cloud, depth=9, n_threads=told["threads"])
density = np.asarray(density)
mesh.remove_vertices_by_mask(density < np.quantile(density, 0.02))
poisson = time.perf_counter() - start
o3d.io.write_triangle_mesh(f"{folder}/poisson.ply", mesh)

start = time.perf_counter()
volume = o3d.pipelines.integration.ScalableTSDFVolume(
    voxel_length=told["voxel"],
    sdf_trunc=4 * told["voxel"],
    color_type=o3d.pipelines.integration.TSDFVolumeColorType.NoColor,
)
for k, frame in enumerate(told["frames"]):
    w, h = frame["width"], frame["height"]
    depth = np.fromfile(f"{folder}/{k}.f32", dtype=np.float32).reshape(h, w)
    camera = o3d.camera.PinholeCameraIntrinsic(w, h, frame["fx"], frame["fy"], frame["cx"], frame["cy"])
    none = o3d.geometry.Image(np.zeros((h, w, 3), dtype=np.uint8))
    pair = o3d.geometry.RGBDImage.create_from_color_and_depth(
        none, o3d.geometry.Image(depth), depth_scale=1.0, depth_trunc=1e6, convert_rgb_to_intensity=False
    )
    volume.integrate(pair, camera, np.array(frame["sensorFromObject"]).reshape(4, 4).T)
mesh = volume.extract_triangle_mesh()
tsdf = time.perf_counter() - start
o3d.io.write_triangle_mesh(f"{folder}/tsdf.ply", mesh)
print(json.dumps({"version": o3d.__version__, "poisson": poisson, "tsdf": tsdf}))

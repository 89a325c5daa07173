// Fillings and reductions of CGAL (a general-purpose library), for `npm run bench -- mend … --reference`.
//
// Usage: cgal_mend fill IN.ply OUT_PREFIX      writes PREFIX-plain.off, -refined.off, -c1.off, -c2.off
//        cgal_mend reduce IN.ply OUT.off N     Lindstrom–Turk to N triangles
//        cgal_mend crossings IN.ply            prints how many pairs of triangles cross
// Build: g++ -O3 -DNDEBUG -o cgal_mend cgal_mend.cpp -lgmp -lmpfr (Debian: libcgal-dev libeigen3-dev)
#define CGAL_EIGEN3_ENABLED
#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <CGAL/Polygon_mesh_processing/connected_components.h>
#include <CGAL/Polygon_mesh_processing/IO/polygon_mesh_io.h>
#include <CGAL/Polygon_mesh_processing/border.h>
#include <CGAL/Polygon_mesh_processing/self_intersections.h>
#include <CGAL/Polygon_mesh_processing/triangulate_hole.h>
#include <CGAL/Surface_mesh.h>
#include <CGAL/Surface_mesh_simplification/Policies/Edge_collapse/Count_stop_predicate.h>
#include <CGAL/Surface_mesh_simplification/edge_collapse.h>
#include <chrono>
#include <iostream>
#include <string>
#include <vector>

using Kernel = CGAL::Exact_predicates_inexact_constructions_kernel;
using Mesh = CGAL::Surface_mesh<Kernel::Point_3>;
namespace PMP = CGAL::Polygon_mesh_processing;
namespace SMS = CGAL::Surface_mesh_simplification;

static double now() {
  using namespace std::chrono;
  return duration<double>(steady_clock::now().time_since_epoch()).count();
}

static void fill(const Mesh &damaged, const std::string &prefix, const std::string &kind) {
  Mesh mesh = damaged;
  PMP::keep_largest_connected_components(mesh, 1);
  mesh.collect_garbage();
  const double start = now();
  std::vector<Mesh::Halfedge_index> rims;
  PMP::extract_boundary_cycles(mesh, std::back_inserter(rims));
  for (auto h : rims) {
    std::vector<Mesh::Face_index> faces;
    std::vector<Mesh::Vertex_index> vertices;
    if (kind == "plain") PMP::triangulate_hole(mesh, h, std::back_inserter(faces));
    else if (kind == "refined")
      PMP::triangulate_and_refine_hole(mesh, h, std::back_inserter(faces), std::back_inserter(vertices));
    else
      PMP::triangulate_refine_and_fair_hole(mesh, h, std::back_inserter(faces), std::back_inserter(vertices),
                                            PMP::parameters::fairing_continuity(kind == "c1" ? 1 : 2));
  }
  std::cout << kind << " " << now() - start << "\n";
  CGAL::IO::write_polygon_mesh(prefix + "-" + kind + ".off", mesh, CGAL::parameters::stream_precision(9));
}

int main(int count, char **words) {
  if (count < 3) return 2;
  const std::string what = words[1];
  Mesh mesh;
  if (!PMP::IO::read_polygon_mesh(words[2], mesh)) return 1;
  if (what == "fill")
    for (const char *kind : {"plain", "refined", "c1", "c2"}) fill(mesh, words[3], kind);
  if (what == "reduce") {
    const double start = now();
    SMS::Count_stop_predicate<Mesh> stop(3 * std::stoul(words[4]) / 2);
    SMS::edge_collapse(mesh, stop);
    std::cout << "reduced " << now() - start << "\n";
    mesh.collect_garbage();
    CGAL::IO::write_polygon_mesh(words[3], mesh, CGAL::parameters::stream_precision(9));
  }
  if (what == "crossings") {
    std::vector<std::pair<Mesh::Face_index, Mesh::Face_index>> pairs;
    PMP::self_intersections(mesh, std::back_inserter(pairs));
    std::cout << pairs.size() << "\n";
  }
}

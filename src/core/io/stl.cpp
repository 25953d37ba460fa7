// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>
#include <cstring>

#include "io/report.h"

namespace cooperage::io {

std::string stlBinary(const shape::Mesh& mesh, const std::string& title) {
  std::string out(80, '\0');
  const std::string head = "cooperage " + title;  // must not begin with "solid": readers would take it for text
  std::memcpy(out.data(), head.data(), std::min<std::size_t>(79, head.size()));
  const auto put = [&](const void* data, std::size_t size) { out.append(static_cast<const char*>(data), size); };
  const auto count = static_cast<std::uint32_t>(mesh.triangles.size());
  put(&count, 4);
  const auto vector = [&](const Vec3& v) {
    for (int k = 0; k < 3; ++k) {
      const auto f = static_cast<float>(v[k]);
      put(&f, 4);
    }
  };
  for (const auto& t : mesh.triangles) {
    const Vec3 a = 1e3 * mesh.vertices[static_cast<std::size_t>(t[0])],
               b = 1e3 * mesh.vertices[static_cast<std::size_t>(t[1])],
               c = 1e3 * mesh.vertices[static_cast<std::size_t>(t[2])];
    const Vec3 n = (b - a).cross(c - a);
    vector(n.norm() > 0 ? Vec3(n.normalized()) : Vec3::Zero());
    vector(a);
    vector(b);
    vector(c);
    const std::uint16_t none = 0;
    put(&none, 2);
  }
  return out;
}

}  // namespace cooperage::io

// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/geometry.h"
#include "base/progress.h"
#include "base/result.h"
#include "kinematics/system.h"

namespace cooperage::kinematics {

/// Something that happens where links push one another.
struct PushEvent {
  enum class Kind { touches, handsOver, leaves, falls };
  Kind kind = Kind::touches;
  double t = 0;
  std::string contact;             ///< its name; of a stop the joint's
  std::vector<std::string> links;  ///< both
  Vec3 place{0, 0, 0};             ///< ground axes, m
  double gap = 0;                  ///< m, what is left between them
};
constexpr std::array<std::string_view, 4> wordsOf(PushEvent::Kind) {
  return {"touches", "hands-over", "leaves", "falls"};
}

/// Links that push one another in opposite ways, so that the drives can't go on.
struct Jam {
  double t = 0;
  struct Side {
    std::string contact;
    std::vector<std::string> links;
    Vec3 place{0, 0, 0};
  };
  std::vector<Side> sides;
};

/// Where links push one another at a pose.
struct Touch {
  std::string contact;
  int linkA = -1, linkB = -1;
  Vec3 place{0, 0, 0}, direction{0, 0, 0};  ///< ground axes; the way in which the first link is pushed
  double gap = 0;
};

/// What the drives ask for at a time: their dofs' values, rates and accelerations written into arrays over all dofs.
struct DrivenMotion {
  std::function<void(double t, double* q, double* qd, double* qdd)> at;
  /// The first time after t, and before the limit, at which rates may jump; else the limit.
  std::function<double(double t, double limit)> nextKnot;
};

/// Moves values that no drive and no loop determines, over the time of a run: by contact. Poses come by a law that
/// depends on what was before, so that it is worked out onwards, as far as it is asked for, and kept. What was worked
/// out does not depend on the steps at which it is asked for.
class FreedomSource {
 public:
  virtual ~FreedomSource() = default;
  /// The same with all that was worked out, for another thread; follow() has to be called again.
  virtual std::unique_ptr<FreedomSource> clone() const = 0;
  /// Dofs that it moves.
  virtual const std::vector<int>& dofs() const = 0;
  /// Whose motion it follows, from now on.
  virtual void follow(DrivenMotion drives) = 0;
  /// Begins anew at a closed configuration. @param until nothing is asked for beyond this time
  virtual void begin(double t, double until, const Configuration& c) = 0;
  /// Moves its dofs as little as possible until nothing that they push overlaps, the drives as they stand at a time.
  /// @return false where there is no such pose near by
  virtual bool free(double t, Configuration& c) = 0;
  /// What lies beyond a time is worked out anew, since the drives go another way there.
  virtual void forgetAfter(double t, double until) = 0;
  /// Works out up to a time. @return how far it came: less where it was cancelled, is jammed or can't be closed
  virtual double reach(double t, Progress* progress) = 0;
  /// The first time after t at which rates may jump, or places; the limit if there is none before it. What was worked
  /// out.
  virtual double nextKnot(double t, double limit) const = 0;
  /// Do places jump at exactly this time?
  virtual bool jumpsAt(double t) const = 0;
  /// Is there a knot at exactly this time?
  virtual bool isKnot(double t) const = 0;
  /// Writes the values, rates and accelerations of its dofs.
  /// @param arriving where something changes at this very time: what was before
  virtual void at(double t, bool arriving, double* q, double* qd, double* qdd) = 0;
  virtual const std::optional<Jam>& jam() const = 0;
  /// Where it could not go on though nothing is jammed: the loops can't be closed there, or no next contact was found.
  struct Lost {
    double t = 0;
    bool closure = false;
  };
  virtual const std::optional<Lost>& lost() const = 0;
  virtual const std::vector<PushEvent>& events() const = 0;
  /// Times between which what pushes left ways open to a dof that it moved: there its motion depends on masses.
  struct Open {
    double from = 0, to = 0;
    int dof = 0;
  };
  virtual std::vector<Open> open() const = 0;
  /// The closed configuration where it came to.
  virtual const Configuration& last() const = 0;
  /// What touches and pushes at a time.
  virtual std::vector<Touch> touching(double t) = 0;
  /// Which way and how far a dof could be moved at a time until something stops it, the drives standing.
  /// @param most no farther than that either way @return least and greatest change
  virtual std::pair<double, double> play(double t, int dof, double most) = 0;
};

class TravelRun;
struct Pushed {
  std::unique_ptr<FreedomSource> source;  ///< null where contacts move nothing
  std::vector<Message> messages;
};
/// Makes what moves a run's freedoms, once the run knows what is left to it.
using MakePushed =
    std::function<Result<Pushed>(const TravelRun& run, const std::vector<int>& driven, const std::vector<int>& left)>;

}  // namespace cooperage::kinematics

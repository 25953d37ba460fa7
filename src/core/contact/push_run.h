// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "contact/held_gaps.h"

namespace cooperage::contact {

/// Motion by pushing: values stay where they were left unless they are pushed, and then move as little as they must
/// (Moreau's sweeping process). No stiffness, no depth, nothing to tune.
///
/// The travel is parted into phases, in each of which the same gaps are held at zero. Where these determine all that
/// moves, a pose is where they are zero, to rounding, whatever was before; else (a point that a line turns aside) it is
/// integrated, by Dormand and Prince's pair of orders 5 and 4, and set on the gaps. Rates and accelerations follow
/// from the gaps' first and second derivatives. A phase ends where another gap closes, where a contact leaves its
/// feature, where it would have to pull, or where a load is held no more; each is located by false position or
/// bisection. What is held next is found by a least change over a short time (the catch-up algorithm), which also finds
/// jams: rows that contradict one another.
class PushRun : public kinematics::FreedomSource {
 public:
  explicit PushRun(std::unique_ptr<PushModel> model);
  std::unique_ptr<FreedomSource> clone() const override;
  const std::vector<int>& dofs() const override { return model_->pushed(); }
  void follow(kinematics::DrivenMotion drives) override { model_->follow(std::move(drives)); }
  void begin(double t, double until, const kinematics::Configuration& c) override;
  void forgetAfter(double t, double until) override;
  double reach(double t, Progress* progress) override;
  double nextKnot(double t, double limit) const override;
  bool jumpsAt(double t) const override;
  bool isKnot(double t) const override;
  void at(double t, bool arriving, double* q, double* qd, double* qdd) override;
  const std::optional<kinematics::Jam>& jam() const override { return jam_; }
  const std::optional<Lost>& lost() const override { return lost_; }
  const std::vector<kinematics::PushEvent>& events() const override { return events_; }
  std::vector<Open> open() const override;
  const kinematics::Configuration& last() const override { return now_.c; }
  std::vector<kinematics::Touch> touching(double t) override;
  std::pair<double, double> play(double t, int dof, double most) override;

  PushModel& model() { return *model_; }
  /// Overlaps of the contact pairs at a pose, deepest first.
  std::vector<GapRow> overlaps(double t, const kinematics::Configuration& c);
  /// With the depth that is looked at raised in stages; within the smaller body's size.
  bool free(double t, kinematics::Configuration& c) override;

 private:
  using Vector = Eigen::VectorXd;
  struct State {
    double t = 0;
    Vector q, v, a;
    kinematics::Configuration c;
  };
  struct Phase {
    double from = 0, to = 0;
    bool jumps = false;  ///< places at its beginning are others than those at the end of the one before
    bool determined = true;
    std::vector<int> open;  ///< dofs that the held gaps move and leave ways to
    std::vector<GapKey> held;
    std::vector<char> facing;  ///< of each held at the beginning
    std::vector<State> knots;
  };
  struct Push {  ///< what the held gaps make of the rates
    Vector v;
    std::vector<double> byForce, byMotion;  ///< multipliers: of the loads, and of what moves
    bool blocked = true;                    ///< the loads are held
    bool determined = true;
  };
  /// What no longer holds at a state that was tried.
  struct Break {
    int held = -1;              ///< of those held
    std::optional<GapKey> gap;  ///< another one that has closed
    bool byForce = false;
    double measure = 0;  ///< positive where it holds, and grows steadily through zero; NaN if there is none
    bool same(const Break& o) const { return held == o.held && gap == o.gap && byForce == o.byForce; }
  };
  enum class Why { none, touch, window, pull, fall, closure, slip };

  bool catchUp(double t, const Vector& anchor, State& s, std::vector<GapKey>& active, std::vector<GapKey>& conflict);
  bool settle(State& s, bool& moved, std::vector<GapKey>& conflict);
  const Push& pushOf(const std::vector<GapKey>& held, double t);
  bool wayOfLoads(Vector& way, Vector& f, double t);
  bool onto(double t, const std::vector<GapKey>& held, State& s);
  bool accelerations(const std::vector<GapKey>& held, State& s);
  bool integrate(const Phase& p, const State& from, double t, State& out);
  bool advance(const Phase& p, const State& from, double t, State& out);
  bool stateAt(const Phase& p, double t, State& out);
  Why valid(const Phase& p, State& to);
  Why step(Phase& p, double knot, double& h, State& to);
  bool mayDip(const Phase& p, State& to);
  double measureOf(const Phase& p, const Break& broken, Why why, State& at);
  State locate(const Phase& p, double upto, Why& why);
  bool leapOver(double knot, State& low);
  void keep(const State& s);
  bool letGo(State& s);
  bool slipOff(State& s, bool& goesOn);
  bool lean(State& s, std::vector<GapKey>& active, std::vector<GapKey>& conflict);
  bool startPhase();
  void endPhase(State at, Why why);
  void tell(const std::vector<GapKey>& before, const std::vector<GapKey>& after, bool fell, double t);
  const Phase* phaseAt(double t, bool arriving) const;
  void halt(double t, const std::vector<GapKey>& conflict);
  void jamAt(double t, const std::vector<GapKey>& conflict);
  double stepFrom(const State& s);

  std::unique_ptr<PushModel> model_;
  HeldGaps held_;
  Push push_;
  std::vector<GapKey> pushedBy_;  ///< what push_ is of, and where
  long pushedAt_ = -1;
  std::vector<Phase> phases_;
  State now_;
  bool goesOn_ = false;  ///< the last phase does
  double until_ = 0;
  std::optional<Lost> lost_;
  double tolerance_ = 0;  ///< m
  std::optional<kinematics::Jam> jam_;
  std::vector<kinematics::PushEvent> events_;
  std::vector<GapKey> before_;  ///< what was held when the last phase ended
  bool fell_ = false, first_ = true, slips_ = false, determined_ = true;
  std::optional<GapKey> pulls_, let_;  ///< on which the loads no longer press: seen last; at the end of the last phase
  int shorts_ = 0;                     ///< phases one upon the other that were over at once
  double leap_ = 0;                    ///< what was last stepped over them, s
  double pace_ = 1e300;                ///< the last step's length, s: the next is tried with no more than twice that
  std::vector<GapRow> rows_, edge_;
  Break broken_;
  PushModel::Places start_, end_, sound_;  ///< at a step's beginning and end; where nothing overlapped last
  Vector load_;
  Eigen::MatrixXd metric_;
};

}  // namespace cooperage::contact

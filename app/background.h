#pragma once
#include "app/delivery.h"
#include "core/base/tasks.h"

#include <list>
#include <QString>
#include <vector>

namespace ilumbra {

/// Long work off the interface thread, each piece on a thread of its own that is joined. A piece owns whatever it uses:
/// it may outlive the window by what a library cannot break off.
class Background : public QObject {
  Q_OBJECT
 public:
  /// Runs on its thread; returns what is then done on the interface thread (null: nothing). The flag is set when it is
  /// cancelled.
  using Work = std::function<std::function<void()>(const CancelFlag&)>;
  struct Options {
    QString lane;                          ///< pieces of one lane never run at once
    bool waits = false;                    ///< where the lane is busy it runs later, else it is refused
    bool matters = true;                   ///< leaving asks first
    bool told = true;                      ///< its label is shown while it runs
    std::function<void()> failed = {}; ///< on the interface thread, after its error was told or it was cancelled
  };
  explicit Background(QObject* parent = nullptr);
  ~Background() override;
  /// Cancels everything and waits up to three seconds; what goes on even then is let go, with all that it owns. False
  /// if something was: static objects must then be left alone.
  bool end();

  /// False, and told, if its lane is busy.
  bool start(const QString& label, Work work, Options options);
  /// Of the piece that Cancel would end; empty: nothing is going on.
  QString label() const;
  /// Of all that matters when the window is left.
  QStringList running() const;
  /// True while anything runs or waits in a lane.
  bool busy(const QString& lane) const;
  bool idle() const;
  /// Ends the piece that label() names; its result is dropped.
  void cancel();
  void cancelAll();
  /// What running() lists; the rest goes on.
  void cancelWhatMatters();

 Q_SIGNALS:
  void changed();
  void told(const QString& text, bool trouble);

 private:
  struct Piece;
  void launch(Piece& piece);
  void ended(uint64_t number, const std::function<void()>& finish, const QString& error);
  Piece* shown() const;
  std::list<std::unique_ptr<Piece>> m_pieces; ///< running, waiting, and cancelled ones that have not ended
  uint64_t m_next = 0;
  bool m_letGo = false;
  Delivery m_delivery{this};
};

} // namespace ilumbra

#pragma once
#include "app/background.h"
#include "core/document/edit.h"
#include "core/document/history.h"
#include "core/session/proof_store.h"
#include "core/session/session.h"
#include "core/session/swatch.h"

#include <QObject>
#include <QPixmap>
#include <QString>

namespace ilumbra {

class ColorViews;
struct MaterialPreset;

/// The state behind the window: the document with its history, the selection, the proofs, the view, and the session
/// that renders. Widgets read it, ask it to edit, and listen to its signals. It never computes a picture itself.
class Studio : public QObject {
  Q_OBJECT
 public:
  explicit Studio(int threads = 0);
  ~Studio() override;

  const Document& doc() const { return m_history.current(); }
  const History& history() const { return m_history; }
  Session& session() { return *m_session; }
  /// Copies share what it holds: work on another thread takes one along.
  AssetCache& assets() { return *m_assets; }
  /// For work that may outlive the window.
  std::shared_ptr<AssetCache> sharedAssets() const { return m_assets; }
  const ColorViews& views() const { return *m_views; }
  const std::shared_ptr<const ColorViews>& sharedViews() const { return m_views; }
  /// For other threads, to hand something to the interface thread while this is there.
  Sender sender() const { return m_delivery.sender(); }
  const std::shared_ptr<const Kinds>& kinds() const { return m_kinds; }
  double frame() const { return currentFrame(doc()); }
  /// Goes to another frame: no step of the history, and no change of the document. Throws nothing; out of range it is
  /// clamped.
  void setFrame(double frame);

  /// Makes an edit a step of the history; a refusal is told and leaves everything as it was. Edits with the same
  /// non-zero gesture are one step. One that changes the frame alone is no step.
  bool edit(const QString& label, const std::function<Document(const Document&)>& change, uint64_t gesture = 0);
  /// Whether a change of one value at another frame than the present one sets keys: of what it is here, and what it is
  /// there. What is made so is told.
  void setKeyChanges(bool on);
  bool keyChanges() const { return m_keyFrom.has_value(); }
  uint64_t newGesture() { return ++m_gesture; }
  void undo();
  void redo();

  // The file.
  QString path() const { return m_path; }
  bool modified() const;
  /// Starts with another document: its history, selection and proofs are new.
  void open(const Document& doc, const QString& path, ProofSet proofs = {});
  /// Notes that `before` was written to `path` and is now `saved`, its file names starting from the new folder.
  void markSaved(const Document& before, const Document& saved, const QString& path);

  // Selection: things by id, the last one first in panels.
  const std::vector<NodeId>& selection() const { return m_selection; }
  NodeId current() const { return m_selection.empty() ? 0 : m_selection.back(); }
  const Node* currentNode() const { return doc().find(current()); }
  void select(std::vector<NodeId> things);
  bool isSelected(NodeId id) const;
  /// The effect whose route is shown: the selected one, or the last that was.
  NodeId effect() const;

  // Proofs.
  const std::vector<std::shared_ptr<const Proof>>& proofs() const { return m_proofs; }
  /// As they are kept beside the document.
  ProofSet proofSet() const { return {m_proofs, m_nextProof, m_parentProof, m_unreadProofs}; }
  /// Keeps the live picture as it is, with the document that made it, named by what has changed since the one before.
  /// False (and told) if there is none yet.
  bool keep(const QString& name = {});
  /// Renders the picture of a proof anew, up to so many samples, in the background.
  void refineProof(int number, uint32_t samples);
  /// Runs when the picture of the present document, whatever becomes of it till then, is shown: at once if it is.
  void whenShown(std::function<void()> run);
  void renameProof(int number, const QString& name);
  void deleteProof(int number);
  std::shared_ptr<const Proof> proof(int number) const;
  /// Goes on from a proof: its document becomes the current one, as an undoable step.
  void goOnFrom(int number);
  int parentProof() const { return m_parentProof; }

  // View state.
  struct View {
    bool paused = false, withLens = true, raw = false, stopsOverlay = false, clipping = false;
    ShownPass pass = ShownPass::Light;
    double stops = 0;
    Region region;
    Compare compare = Compare::None;
    int proof = 0; ///< number of the proof that is compared
    int left = 0;  ///< number of the proof on the other side; 0: the live picture
    NodeId soloStage = 0, lastStage = 0;
    bool beforeStage = false;
    bool stages = false; ///< what lens stages make is wanted
    bool playing = false;
    bool ahead = false;                 ///< the frames that are played are rendered ahead and kept
    double playFirst = 1, playLast = 0; ///< what is played; last below first: the document's range
    bool toAndFro = false;              ///< played forwards, then backwards, instead of from the start again
    bool groups = false;                ///< the picture's light groups are wanted
  };
  const View& view() const { return m_view; }
  /// The first and the last frame that are played.
  std::pair<double, double> playRange() const;
  void setView(const View& view);

  const std::shared_ptr<const SessionImage>& image() const { return m_image; }
  /// Of the latest request: the image that answers it carries the same.
  uint64_t edition() const { return m_edition; }

  /// Long work off the interface thread; what is refused or fails is told. Without options: one at a time, and leaving
  /// asks first.
  using Work = Background::Work;
  void background(const QString& label, Work work) {
    background(label, std::move(work), {.lane = QStringLiteral("work")});
  }
  bool background(const QString& label, Work work, Background::Options options) {
    return m_background.start(label, std::move(work), std::move(options));
  }
  Background& works() { return m_background; }
  QString backgroundLabel() const { return m_background.label(); }
  void cancelBackground() { m_background.cancel(); }
  /// Before the program ends: false if something could not be broken off (Background::end()).
  bool end();

  /// A plain sentence for the person, in the status line.
  void tell(const QString& text, bool trouble = false);

  /// A small picture of a material in the light of the present document, of a preset's matter if one is given; it comes
  /// by swatchArrived() under the same key, soon if it was made before and nothing about it has changed.
  static constexpr int swatchSize = 88;
  void askForSwatch(const QString& key, NodeId material, const MaterialPreset* as = nullptr);
  /// The same of a material that `put` adds to the present document, away from the interface thread; swatchFailed() if
  /// it throws.
  void askForSwatch(const QString& key, std::function<Document(const Document& now, NodeId& material)> put);
  /// Those that are asked for are made in this order from now on.
  void preferSwatches(const std::vector<std::string>& keys);

  /// What the next click is for: it fills a role of an effect, in the picture or a list; or, in the picture, it says
  /// where a panel is to be mirrored.
  struct Picking {
    NodeId effect = 0;
    QString role;
    NodeId panel = 0;
    bool active() const { return effect != 0 || panel != 0; }
  };
  const Picking& picking() const { return m_picking; }
  void setPicking(const Picking& picking);
  /// Gives a thing to whoever waits for it, else selects it.
  void offer(NodeId thing, bool extend = false, uint32_t copy = 0);
  /// Of a panel that is picked for: it is placed so that it is mirrored at a pixel of the picture. False: nobody waits
  /// for a place.
  bool offerPlace(const QPointF& pixel);
  /// Asks for a test strip of a parameter: whoever makes them hears of it.
  void tryValues(const Address& at) { Q_EMIT valuesTried(at); }

 Q_SIGNALS:
  void documentChanged();
  void selectionChanged();
  void imageArrived();
  void proofsChanged();
  void viewChanged();
  void told(const QString& text, bool trouble);
  void backgroundChanged();
  void fileChanged();
  void pickingChanged();
  void valuesTried(const Address& at);
  /// A pattern by itself, over what of it is seen in the picture: to be shown in its place; null: the picture again.
  void patternShown(const QImage& image, const QString& name);
  void swatchArrived(const QString& key, const QPixmap& picture);
  /// It cannot be made, and why.
  void swatchFailed(const QString& key, const QString& why);

 private:
  SwatchMaker& swatchMaker();
  void submit();
  void changed();
  void keepFrame(double frame);
  void cleanSelection();

  std::shared_ptr<const Kinds> m_kinds;
  std::shared_ptr<AssetCache> m_assets;
  std::shared_ptr<const ColorViews> m_views;
  History m_history;
  Document m_saved;
  QString m_path;
  std::vector<NodeId> m_selection;
  NodeId m_lastEffect = 0;
  std::vector<std::shared_ptr<const Proof>> m_proofs;
  std::vector<std::string> m_unreadProofs;
  int m_nextProof = 1, m_parentProof = 0;
  View m_view;
  Picking m_picking;
  std::shared_ptr<const SessionImage> m_image;
  uint64_t m_gesture = 0, m_edition = 0;
  bool m_frameMoved = false;
  std::optional<double> m_keyFrom;            ///< the frame at which values stay; none: changes are not keyed
  std::unique_ptr<SwatchMaker> m_swatchMaker; ///< made when it is first asked
  Delivery m_delivery{this};
  std::unique_ptr<Session> m_session; ///< its thread ends before the rest is taken down,
  Background m_background;            ///< and before it what others are at
};

inline QString qs(const std::string& s) { return QString::fromStdString(s); }
inline QString qs(std::string_view s) { return QString::fromUtf8(s.data(), qsizetype(s.size())); }

} // namespace ilumbra
